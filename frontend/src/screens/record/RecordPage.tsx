import { useTitle } from "../../shell/PageFocus";
import { useEffect, useRef, useState } from "react";
import { useLocation, useNavigate, useParams } from "react-router";
import { toast } from "sonner";
import { api, type Entry, ok, Problem, sentence, type Ticket } from "../../api/client";
import { type ActName, useAct } from "../../parts/actForm";
import { ActDialog, asksFirst } from "../../parts/acts";
import type { ComposerMode } from "../../parts/Composer";
import { Conversation } from "../../parts/Conversation";
import { useKeys, useNow } from "../../parts/hooks";
import { Lifeline } from "../../parts/Lifeline";
import { RoutineForm } from "../../parts/outwardActs";
import { DueLine, useTicket } from "../../parts/Reader";
import { bodyOf, can, keysOf, type RecordAct } from "../../parts/recordActs";
import { RemindDialog } from "../../parts/RemindDialog";
import { Dialog, Empty, ErrorNote, Loading } from "../../parts/ui";
import { useCommands } from "../../shell/commands";
import { useSession } from "../../shell/session";
import { AboutItem } from "./AboutItem";
import { Facts } from "./Facts";
import { Header } from "./Header";
import { Paged } from "./Paged";
import { Panels } from "./kinds/Panels";
import { pageOf } from "./kinds";
import { KnownErrors } from "../problems/KnownErrors";
import { RemoveDialog } from "./RemoveDialog";
import { Said } from "./Said";
import { Tasks } from "./Tasks";
import { Approvals, Links, MayHelp, Outside, RemoteHelp } from "./Ties";
import { Time } from "./Time";
import { usePresence } from "./usePresence";
import { Writing } from "./Writing";

/** One page per record: its life across the top, the conversation left, facts right. */
export function RecordPage() {
  const { number: text } = useParams();
  const number = +(text ?? "0");
  const { data: ticket, error } = useTicket(number);
  useTitle(ticket ? `${ticket.id} ${ticket.title}` : undefined);
  if (error && !ticket) {
    const isMissing = error instanceof Problem && error.status === 404;
    return isMissing ? (
      <Empty title={`There is no ticket ${text ?? ""}`}>Or it is not for you to see.</Empty>
    ) : (
      <div className="p-6">
        <ErrorNote>{sentence(error)}</ErrorNote>
      </div>
    );
  }
  if (!ticket) return <Loading what={`ticket ${text ?? ""}`} />;
  return <Record key={ticket.id} ticket={ticket} />;
}

/** What lies over the page: one thing at a time. */
type Over =
  | { is: "act"; name: ActName; into?: number }
  | { is: "reminder" }
  | { is: "removing"; entry: Entry; file: string | undefined }
  | { is: "routine"; number: number };

/** The frame that every kind of record has; what a kind adds comes from `kinds/`. */
function Record({ ticket }: { ticket: Ticket }) {
  const now = useNow();
  const { me } = useSession();
  const navigate = useNavigate();
  const { hash } = useLocation();
  const [over, setOver] = useState<Over | null>(null);
  const [mode, setMode] = useState<ComposerMode | undefined>(undefined);
  const [inserted, setInserted] = useState<{ text: string; at: number } | null>(null);
  const writing = useRef<HTMLTextAreaElement>(null);
  const typingUntil = useRef(0);
  const doAct = useAct(ticket.id);
  const others = usePresence(ticket.id, typingUntil);
  const follows = ticket.followers.some((follower) => follower.id === me?.id);
  const kind = pageOf(ticket.kind);

  const ask = (name: ActName, into?: number) => setOver({ is: "act", name, ...(into === undefined ? {} : { into }) });
  const close = () => setOver(null);
  const draftOf = async (entry: Entry) => {
    try {
      const made = await ok(
        api.POST("/api/tickets/{number}/draft", { params: { path: { number: ticket.id } }, body: { event: entry.id } }),
      );
      void navigate(`/desk/articles/${made.number}?write`);
    } catch (problem) {
      toast.error(sentence(problem));
    }
  };
  const write = (next: ComposerMode) => {
    setMode(next);
    setTimeout(() => writing.current?.focus(), 0);
  };
  useEffect(() => {
    if (hash === "#reply" || hash === "#note") write(hash === "#reply" ? "reply" : "note");
  }, [hash]);
  useEffect(() => {
    // An article that was read through with the requester solved it.
    const solved = /^#resolve-with-(\d+)$/.exec(hash)?.[1];
    if (solved === undefined) return;
    if (can(ticket, "resolve")) setOver({ is: "act", name: "resolve", into: +solved });
    void navigate({ hash: "" }, { replace: true });
  }, [hash, navigate, ticket]);
  const begin = (chosen: RecordAct) => {
    if (chosen.name === "reply" || chosen.name === "note") write(chosen.name);
    else if (asksFirst(chosen)) ask(chosen.name);
    else doAct.mutate({ name: chosen.name, body: bodyOf(ticket, chosen.name) });
  };
  useKeys({
    ...keysOf(ticket, begin),
    b: () => setOver({ is: "reminder" }),
    u: () => ticket.undo_event !== null && doAct.mutate({ name: "undo", body: {} }),
  });
  useCommands(
    [
      ...ticket.acts
        .filter((one) => one.command !== "" && one.why_not === "")
        .map((one) => ({ label: one.command, act: () => begin(one) })),
      { label: `Remind me of ${ticket.id}`, act: () => setOver({ is: "reminder" }) },
      {
        label: `${follows ? "Stop following" : "Follow"} ${ticket.id}`,
        act: () => doAct.mutate({ name: follows ? "unfollow" : "follow", body: {} }),
      },
      { label: `Print ${ticket.id}`, act: () => window.print() },
    ],
    `${ticket.id}/${ticket.acts.map((one) => one.name + one.why_not).join()}/${String(follows)}`,
  );

  return (
    <div className="mx-auto max-w-[1480px] px-5 pb-12 pt-2.5 max-[600px]:px-3">
      <Header
        ticket={ticket}
        now={now}
        others={others}
        isBusy={doAct.isPending}
        onAct={begin}
        onRemind={() => setOver({ is: "reminder" })}
        onRoutine={(number) => setOver({ is: "routine", number })}
      />
      <Lifeline ticket={ticket} />
      {kind.top?.(ticket)}
      <div className="mt-3 grid grid-cols-[minmax(0,2fr)_minmax(300px,1fr)] gap-4 max-[900px]:grid-cols-1">
        <div className="min-w-0">
          {kind.main?.(ticket)}
          {ticket.is_open ? <DueLine ticket={ticket} now={now} /> : null}
          <Conversation
            entries={ticket.conversation}
            now={now}
            {...(me?.is_on_desk && !ticket.is_confidential ? { onArticle: (entry: Entry) => void draftOf(entry) } : {})}
            {...(can(ticket, "note") ? { onRemove: (entry: Entry, file?: string) => setOver({ is: "removing", entry, file }) } : {})}
          />
          {can(ticket, "reply") || can(ticket, "note") ? (
            <Writing
              ticket={ticket}
              doAct={doAct}
              onAsk={ask}
              writing={writing}
              typingUntil={typingUntil}
              inserted={inserted}
              mode={mode}
              others={others}
              onMode={setMode}
            />
          ) : null}
        </div>
        <div className="flex min-w-0 flex-col gap-3">
          <RemoteHelp ticket={ticket} />
          {kind.hidesHelp ? null : (
            <KnownErrors
              ticket={ticket}
              onUse={(text) => {
                write("reply");
                setInserted({ text, at: Date.now() });
              }}
            />
          )}
          {kind.isFirst ? kind.first?.(ticket) : null}
          {kind.hidesHelp ? null : (
            <MayHelp
              ticket={ticket}
              onMerge={(number) => ask("merge", number)}
              onUse={(text) => {
                write("reply");
                setInserted({ text, at: Date.now() });
              }}
            />
          )}
          {kind.isFirst ? null : kind.first?.(ticket)}
          <Panels ticket={ticket} />
          <Facts ticket={ticket} />
          <AboutItem ticket={ticket} />
          <Paged ticket={ticket} />
          <Approvals ticket={ticket} canEdit={can(ticket, "change")} />
          <Tasks ticket={ticket} canEdit={can(ticket, "change")} canFollowUp={can(ticket, "follow-ups")} />
          {can(ticket, "note") ? <Time ticket={ticket} /> : null}
          <Links
            ticket={ticket}
            hides={kind.hidesLinks}
            canEdit={can(ticket, "note")}
            onAct={(name) => ask(name === "link" ? "links" : "merge")}
          />
          <Outside ticket={ticket} canEdit={can(ticket, "outward")} onAct={ask} />
          <Said ticket={ticket} />
        </div>
      </div>
      <ActDialog
        ticket={ticket}
        act={over?.is === "act" ? over.name : null}
        into={over?.is === "act" ? over.into : undefined}
        onClose={close}
      />
      {over?.is === "reminder" ? <RemindDialog ticket={ticket} onClose={close} /> : null}
      {over?.is === "removing" ? <RemoveDialog ticket={ticket} entry={over.entry} file={over.file} onClose={close} /> : null}
      {over?.is === "routine" ? (
        <Dialog title="Do several things at once" about={ticket.title} isOpen onClose={close}>
          <RoutineForm
            ticket={ticket}
            routine={over.number}
            onClose={close}
            onRun={() => {
              close();
              doAct.mutate({ name: `routines/${over.number}`, body: {} });
            }}
          />
        </Dialog>
      ) : null}
    </div>
  );
}
