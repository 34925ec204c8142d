import { useMutation } from "@tanstack/react-query";
import { type ReactNode, useMemo, useState } from "react";
import { NavLink, useParams } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { Button, Empty, ErrorNote, Loading } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { AgreementsEditor } from "./AgreementsEditor";
import { Aside } from "./Aside";
import { ItemsEditor } from "./CatalogueEditors";
import { BundlesEditor } from "./BundlesEditor";
import { RoutesEditor } from "./RoutesEditor";
import { CalendarsEditor } from "./CalendarsEditor";
import { BookContext, useDocument, useOverview, useReadAgain, useReview, useWords } from "./data";
import { EditionsPage } from "./EditionsPage";
import { FormsEditor } from "./FormsEditor";
import { FieldsEditor } from "./FieldsEditor";
import { MessagesEditor, NotificationsEditor, QuietEditor } from "./MessagesEditor";
import { HooksEditor } from "./HooksEditor";
import { PrioritiesEditor } from "./PrioritiesEditor";
import { PublishDialog } from "./PublishDialog";
import { ChecksPage, DifferencesPage } from "./ReviewPages";
import { RehearsalsPage } from "./RehearsalsPage";
import { ReplayPage } from "./ReplayPage";
import { RoutingEditor } from "./RoutingEditor";
import { RulesEditor } from "./RulesEditor";
import { TasksEditor } from "./TasksEditor";
import { StartersEditor, TemplatesEditor } from "./TemplatesEditor";
import { TryPage } from "./TryPage";
import { CategoriesEditor, CareTiersEditor, ClocksEditor, StatesEditor, SuppliersEditor, WaitsEditor } from "./WordsEditors";
import { ClosingEditor } from "./ClosingEditor";

interface Room {
  path: string;
  label: string;
  page: ReactNode;
}

const ROOMS: { title: string; rooms: Room[] }[] = [
  {
    title: "Policies",
    rooms: [
      { path: "calendars", label: "Calendars", page: <CalendarsEditor /> },
      { path: "priorities", label: "Priorities", page: <PrioritiesEditor /> },
      { path: "agreements", label: "Agreements", page: <AgreementsEditor /> },
      { path: "rules", label: "Rules", page: <RulesEditor /> },
      { path: "routing", label: "Routing", page: <RoutingEditor /> },
      { path: "closing", label: "Conditions for closing", page: <ClosingEditor /> },
    ],
  },
  {
    title: "Before it goes live",
    rooms: [
      { path: "try", label: "Try it", page: <TryPage /> },
      { path: "checks", label: "Checks", page: <ChecksPage /> },
      { path: "rehearsals", label: "Rehearsals", page: <RehearsalsPage /> },
      { path: "replay", label: "Replay", page: <ReplayPage /> },
      { path: "differences", label: "Differences", page: <DifferencesPage /> },
    ],
  },
  {
    title: "Forms",
    rooms: [
      { path: "fields", label: "Fields", page: <FieldsEditor /> },
      { path: "forms", label: "Forms", page: <FormsEditor /> },
      { path: "templates", label: "Templates", page: <TemplatesEditor /> },
      { path: "starters", label: "Starters", page: <StartersEditor /> },
      { path: "tasks", label: "Task templates", page: <TasksEditor /> },
    ],
  },
  {
    title: "Requests",
    rooms: [
      { path: "items", label: "Catalogue items", page: <ItemsEditor /> },
      { path: "bundles", label: "Bundles", page: <BundlesEditor /> },
      { path: "routes", label: "Approval routes", page: <RoutesEditor /> },
    ],
  },
  {
    title: "Words",
    rooms: [
      { path: "states", label: "States", page: <StatesEditor /> },
      { path: "waits", label: "Waiting reasons", page: <WaitsEditor /> },
      { path: "categories", label: "Categories", page: <CategoriesEditor /> },
      { path: "care_tiers", label: "Care tiers", page: <CareTiersEditor /> },
      { path: "suppliers", label: "Suppliers", page: <SuppliersEditor /> },
      { path: "clocks", label: "Kinds of clock", page: <ClocksEditor /> },
    ],
  },
  {
    title: "Messages",
    rooms: [
      { path: "messages", label: "Messages", page: <MessagesEditor /> },
      { path: "notifications", label: "Notifications", page: <NotificationsEditor /> },
      { path: "quiet", label: "Quiet hours", page: <QuietEditor /> },
      { path: "hooks", label: "Webhooks", page: <HooksEditor /> },
    ],
  },
  { title: "Published", rooms: [{ path: "editions", label: "Editions", page: <EditionsPage /> }] },
];
const PAGES = new Map(ROOMS.flatMap(({ rooms }) => rooms.map((room) => [room.path, room.page] as const)));

/** Every policy as data: edited in a draft, tried, checked, rehearsed, replayed, published. */
export function RulebookPage() {
  const { me } = useSession();
  if (!me?.roles.includes("administrator"))
    return <Empty title="The rulebook is for administrators">Ask one of them to change a policy.</Empty>;
  return <Rulebook />;
}

function Rulebook() {
  const { room = "agreements" } = useParams();
  const overview = useOverview();
  const which = overview.data ? (overview.data.draft ? "draft" : "force") : null;
  const document = useDocument(which ?? "force");
  const words = useWords();
  const review = useReview(which === "draft");
  const book = useMemo(
    () => (document.data && words && which ? { document: document.data, words, which } : null),
    [document.data, words, which],
  );
  if (overview.error ?? document.error)
    return (
      <div className="p-6">
        <ErrorNote>{sentence(overview.error ?? document.error)}</ErrorNote>
      </div>
    );
  if (!book || !overview.data) return <Loading what="the rulebook" />;
  const counts: Record<string, string> = {};
  if (review.data) {
    if (review.data.findings.length > 0) counts.checks = String(review.data.findings.length);
    if (review.data.rehearsals > 0) counts.rehearsals = `${review.data.rehearsals - review.data.failing} of ${review.data.rehearsals}`;
    counts.differences = String(review.data.differences.length);
  }
  return (
    <BookContext value={book}>
      <div className="grid min-h-[calc(100vh-48px)] grid-cols-[196px_minmax(0,1fr)_280px] max-[1100px]:grid-cols-[180px_minmax(0,1fr)] max-[760px]:grid-cols-1">
        <nav aria-label="Rulebook" className="border-r border-line bg-paper py-2.5 max-[760px]:border-b">
          <p className="px-4 pb-1 font-bold">
            {overview.data.draft ? `Draft after edition ${overview.data.in_force}` : `Edition ${overview.data.in_force}, in force`}
          </p>
          {ROOMS.map(({ title, rooms }) => (
            <div key={title} className="mt-1.5">
              <p className="px-4 text-[13px] text-ink-2">{title}</p>
              <ul className="max-[760px]:flex max-[760px]:flex-wrap">
                {rooms.map((one) => (
                  <li key={one.path}>
                    <NavLink
                      to={`/desk/rulebook/${one.path}`}
                      className={({ isActive }) =>
                        `flex justify-between gap-2 border-l-[3px] px-[13px] py-[2px] min-h-[24px] hover:bg-note ${isActive || one.path === room ? "border-crown bg-note font-bold" : "border-transparent"}`
                      }
                    >
                      {one.label}
                      {counts[one.path] ? (
                        <span className={one.path === "checks" ? "font-bold text-rust" : "text-ink-2"}>{counts[one.path]}</span>
                      ) : null}
                    </NavLink>
                  </li>
                ))}
              </ul>
            </div>
          ))}
        </nav>
        <div className="min-w-0 bg-sheet px-5 py-3.5">
          <DraftBar />
          {PAGES.get(room) ?? <Empty title="There is no such part of the rulebook" />}
        </div>
        <Aside review={review.data} isDraft={which === "draft"} />
      </div>
    </BookContext>
  );
}

function DraftBar() {
  const { data } = useOverview();
  const readAgain = useReadAgain();
  const review = useReview(Boolean(data?.draft));
  const [isPublishing, setPublishing] = useState(false);
  const undo = useMutation({
    mutationFn: () => ok(api.POST("/api/rulebook/draft/undo")),
    onSuccess: (done) => {
      readAgain();
      toast(`Taken back: ${done.section}${done.key ? ` › ${done.key}` : ""}.`);
    },
    onError: (error) => toast.error(sentence(error)),
  });
  const draft = data?.draft;
  if (!data) return null;
  if (!draft)
    return (
      <p className="mb-3 rounded-card border border-line bg-paper px-3 py-2 text-ink-2">
        This is edition {data.in_force}, as it is in force. Change anything: a draft begins, and nothing counts before it is published.
      </p>
    );
  const count = review.data?.differences.length;
  return (
    <div className="mb-3 flex flex-wrap items-center gap-3 rounded-card bg-crown-2 px-3 py-2">
      <p className="flex-1">
        <b>Draft</b>{" "}
        <span className="ml-2">
          {count === undefined ? "Differences" : count === 1 ? "1 difference" : `${count} differences`} from edition {data.in_force}
        </span>
        {draft.people.length > 0 ? <span>, by {draft.people.join(" and ")}</span> : null}
      </p>
      <Button
        onClick={() => undo.mutate()}
        disabled={undo.isPending || draft.edits === 0}
        title={draft.last_edit ? `Takes back: ${draft.last_edit}` : undefined}
      >
        Undo
      </Button>
      <Button tone="sea" onClick={() => setPublishing(true)}>
        Publish…
      </Button>
      <PublishDialog isOpen={isPublishing} onClose={() => setPublishing(false)} draft={draft} />
    </div>
  );
}
