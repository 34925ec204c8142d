import { type ReactNode, useMemo } from "react";
import { NavLink, useParams, useSearchParams } from "react-router";
import { sentence } from "../../api/client";
import { Empty, ErrorNote, Loading } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { agreements } from "./AgreementsEditor";
import { Aside } from "./Aside";
import { items } from "./CatalogueEditors";
import { bundles } from "./BundlesEditor";
import { routes } from "./RoutesEditor";
import { calendars } from "./CalendarsEditor";
import { BookContext, useDocument, useOverview, useReview, useWords } from "./data";
import { articleRules } from "./ArticleRulesEditor";
import { computed } from "./ComputedEditor";
import { DraftBar } from "./DraftBar";
import { EditionsPage } from "./EditionsPage";
import { FindEntry } from "./FindEntry";
import { forms } from "./FormsEditor";
import { fields } from "./FieldsEditor";
import { messages, NotificationsEditor, QuietEditor } from "./MessagesEditor";
import { hooks } from "./HooksEditor";
import { PrioritiesEditor } from "./PrioritiesEditor";
import { ChecksPage, DifferencesPage } from "./ReviewPages";
import { RehearsalsPage } from "./RehearsalsPage";
import { ReportsEditor } from "./ReportsEditor";
import { ReplayPage } from "./ReplayPage";
import { RoutingEditor } from "./RoutingEditor";
import { rules } from "./RulesEditor";
import { SectionPage } from "./section/SectionPage";
import type { SectionSpec } from "./section/spec";
import { tasks } from "./TasksEditor";
import { starters, templates } from "./TemplatesEditor";
import { TryPage } from "./TryPage";
import { itemGroups } from "./ItemGroupsEditor";
import { itemTypes } from "./ItemTypesEditor";
import { careTiers, categories, clocks, groups, states, suppliers, waits } from "./WordsEditors";
import { ClosingEditor } from "./ClosingEditor";
import { ChangesEditor } from "./ChangesEditor";
import { changeTemplates } from "./ChangeTemplatesEditor";
import { majorPlans } from "./MajorPlansEditor";
import { ProblemsEditor } from "./ProblemsEditor";
import type { Entry } from "./data";
import { windows } from "./WindowsEditor";

interface Room {
  path: string;
  label: string;
  page: ReactNode;
  /** Whether it is a list of entries. */
  isList?: boolean;
}

function listOf<T extends Entry>(spec: SectionSpec<T>): Room {
  return { path: spec.section, label: spec.title, page: <SectionPage key={spec.section} spec={spec} />, isList: true };
}

const ROOMS: { title: string; rooms: Room[] }[] = [
  {
    title: "Policies",
    rooms: [
      listOf(calendars),
      { path: "priorities", label: "Priorities", page: <PrioritiesEditor /> },
      listOf(agreements),
      listOf(rules),
      listOf(articleRules),
      { path: "routing", label: "Routing", page: <RoutingEditor /> },
      { path: "closing", label: "Conditions for closing", page: <ClosingEditor /> },
      { path: "problems", label: "Problems", page: <ProblemsEditor /> },
      { path: "reports", label: "Reports", page: <ReportsEditor /> },
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
    title: "Changes",
    rooms: [{ path: "changes", label: "Types, risk, CAB", page: <ChangesEditor /> }, listOf(windows), listOf(changeTemplates)],
  },
  { title: "Major incidents", rooms: [listOf(majorPlans)] },
  { title: "Requests", rooms: [listOf(items), listOf(bundles), listOf(groups), listOf(routes)] },
  { title: "Forms", rooms: [listOf(fields), listOf(computed), listOf(forms), listOf(templates), listOf(starters), listOf(tasks)] },
  {
    title: "Words",
    rooms: [
      listOf(states),
      listOf(waits),
      listOf(categories),
      listOf(careTiers),
      listOf(suppliers),
      listOf(itemTypes),
      listOf(itemGroups),
      listOf(clocks),
    ],
  },
  {
    title: "Messages",
    rooms: [
      listOf(messages),
      { path: "notifications", label: "Notifications", page: <NotificationsEditor /> },
      { path: "quiet", label: "Quiet hours", page: <QuietEditor /> },
      listOf(hooks),
    ],
  },
  { title: "Published", rooms: [{ path: "editions", label: "Editions", page: <EditionsPage /> }] },
];
const PAGES = new Map(ROOMS.flatMap(({ rooms }) => rooms.map((room) => [room.path, room] as const)));

/** Every policy as data: edited in a draft, tried, checked, rehearsed, replayed, published. */
export function RulebookPage() {
  const { me } = useSession();
  if (!me?.roles.includes("administrator"))
    return <Empty title="The rulebook is for administrators">Ask one of them to change a policy.</Empty>;
  return <Rulebook />;
}

function Rulebook() {
  const { room = "agreements" } = useParams();
  const [params] = useSearchParams();
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
  const here = PAGES.get(room);
  const isEditing = here?.isList === true && params.has("open");
  const counts: Record<string, string> = {};
  for (const { path, isList } of PAGES.values()) {
    const entries = book.document[path];
    if (isList && Array.isArray(entries)) counts[path] = String(entries.length);
  }
  if (review.data) {
    if (review.data.findings.length > 0) counts.checks = String(review.data.findings.length);
    if (review.data.rehearsals > 0) counts.rehearsals = `${review.data.rehearsals - review.data.failing} of ${review.data.rehearsals}`;
    counts.differences = String(review.data.differences.length);
  }
  return (
    <BookContext value={book}>
      <DraftBar />
      <div
        className={`grid min-h-[calc(100vh-90px)] max-[1100px]:grid-cols-[180px_minmax(0,1fr)] max-[760px]:grid-cols-1 ${isEditing ? "grid-cols-[196px_minmax(0,1fr)]" : "grid-cols-[196px_minmax(0,1fr)_260px]"}`}
      >
        <nav aria-label="Rulebook" className="border-r border-line bg-paper py-2.5 max-[760px]:border-b">
          <div className="px-2.5 pb-1">
            <FindEntry />
          </div>
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
        <div className={`min-w-0 bg-sheet ${here?.isList ? "" : "px-5 py-3.5"}`}>
          {here?.page ?? <Empty title="There is no such part of the rulebook" />}
        </div>
        {isEditing ? null : <Aside review={review.data} isDraft={which === "draft"} />}
      </div>
    </BookContext>
  );
}
