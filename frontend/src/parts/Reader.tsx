import { useQuery, useQueryClient } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { api, ok, sentence, type Ticket } from "../api/client";
import { type ActName, useAct } from "./actForm";
import { ActDialog, asksFirst } from "./acts";
import { useChance, useOutlook } from "./chances";
import { inTen } from "./text";
import { Conversation } from "./Conversation";
import { heedServerTime, useKeys, useNow } from "./hooks";
import { Number } from "./marks";
import { bodyOf, keysOf, possible, type RecordAct } from "./recordActs";
import { span, when } from "./time";
import { Button, ErrorNote, Loading } from "./ui";
import { clockVerb, clockWord } from "./state";
import { WhyCard } from "./WhyCard";

export function useTicket(number: number) {
  const queries = useQueryClient();
  return useQuery({
    queryKey: ["ticket", number],
    queryFn: async () => {
      const ticket = await ok(api.GET("/api/tickets/{number}", { params: { path: { number } } }));
      heedServerTime(ticket.now_s);
      // An answer that was under way while an act was done must not undo what the act gave back.
      const known = queries.getQueryData<Ticket>(["ticket", number]);
      return known && known.version > ticket.version ? known : ticket;
    },
    staleTime: 2_000,
  });
}

interface ReaderProps {
  number: number;
  onClose: () => void;
}

/** The side reader: what a ticket says and what can be done, without leaving the list. */
export function Reader({ number, onClose }: ReaderProps) {
  const { data: ticket, error } = useTicket(number);
  const [act, setAct] = useState<ActName | null>(null);
  return (
    <aside
      aria-label={`Ticket ${number}`}
      className="no-print fixed bottom-0 right-0 top-12 z-20 flex w-[372px] flex-col border-l border-line bg-sheet max-[900px]:left-0 max-[900px]:w-full"
    >
      {error ? (
        <div className="p-4">
          <ErrorNote>{sentence(error)}</ErrorNote>
          <Button className="mt-3" onClick={onClose}>
            Close
          </Button>
        </div>
      ) : null}
      {!ticket && !error ? <Loading what="the ticket" /> : null}
      {ticket ? <Body ticket={ticket} onClose={onClose} onAct={setAct} /> : null}
      {ticket ? <ActDialog ticket={ticket} act={act} onClose={() => setAct(null)} /> : null}
    </aside>
  );
}

function Body({ ticket, onClose, onAct }: { ticket: Ticket; onClose: () => void; onAct: (act: ActName) => void }) {
  const now = useNow();
  const act = useAct(ticket.id);
  const holder = ticket.facts.holder;
  const begin = (chosen: RecordAct) =>
    asksFirst(chosen) ? onAct(chosen.name) : act.mutate({ name: chosen.name, body: bodyOf(ticket, chosen.name) });
  const keys = keysOf(ticket, begin);
  // Writing is done on the record's own page.
  delete keys.r;
  delete keys.n;
  delete keys.u;
  useKeys(keys);
  const recent = ticket.conversation
    .filter((entry) => entry.is_message)
    .slice(-6)
    .reverse();
  return (
    <>
      <div className="border-b border-line px-4 pb-3 pt-3">
        <div className="flex items-center gap-3 text-ink-2">
          <Number row={ticket} />
          <span>P{ticket.facts.priority}</span>
          <Link to={`/desk/tickets/${ticket.id}`} className="ml-auto rounded border border-line-2 px-1.5 text-[13px] hover:border-sea">
            Enter opens
          </Link>
          <button type="button" onClick={onClose} aria-label="Close the reader" className="rounded p-1 hover:bg-sea-3">
            <X size={16} aria-hidden="true" />
          </button>
        </div>
        <h2 className="mt-1 text-[17px] font-bold leading-tight">
          <Link to={`/desk/tickets/${ticket.id}`} className="hover:underline">
            {ticket.title}
          </Link>
        </h2>
        <p className="mt-1 text-ink-2">
          from <b className="text-ink">{ticket.facts.requester.name}</b>, {ticket.facts.place}
          {ticket.facts.service ? (
            <>
              {" "}
              · on <b className="font-semibold text-ink">{ticket.facts.service.name}</b>
            </>
          ) : null}
        </p>
        <p className="text-ink-2">
          {holder ? `assigned to ${holder.name}` : "unassigned"} · {ticket.facts.team.name}
        </p>
        <div className="mt-2.5 flex flex-wrap gap-2">
          <Link
            to={`/desk/tickets/${ticket.id}#reply`}
            className="inline-flex h-[30px] items-center rounded-small bg-sea px-2.5 font-semibold text-on-sea"
          >
            Reply
          </Link>
          {possible(ticket, "bar", "main").map((one) => (
            <Button
              key={one.name}
              {...(one.key ? { hint: one.key.toUpperCase() } : {})}
              disabled={act.isPending}
              onClick={() => begin(one)}
            >
              {one.label}
            </Button>
          ))}
        </div>
      </div>
      <div className="flex-1 overflow-y-auto px-4 py-3">
        <DueLine ticket={ticket} now={now} />
        <Conversation entries={recent} now={now} />
      </div>
    </>
  );
}

/** The next target in one sentence, with its ledger one click away. */
export function DueLine({ ticket, now }: { ticket: Ticket; now: number }) {
  useOutlook();
  const chance = useChance(ticket.id);
  const { due } = ticket;
  const key = `clock:${due.kind}/`;
  if (ticket.waiting)
    return (
      <p className="hatched mb-3 rounded-small">
        <span className="flex justify-between gap-3 rounded-small bg-sheet/80 px-3 py-1.5">
          <span>
            waiting on <b>{ticket.waiting.on === "requester" ? ticket.facts.requester.name : ticket.waiting.on}</b>
            {ticket.waiting.since_s ? ` since ${when(ticket.waiting.since_s, now)}` : ""}: {ticket.waiting.reason}
          </span>
          {due.kind ? <WhyCard number={ticket.id} of={key} /> : null}
        </span>
      </p>
    );
  if (due.due_s === null) return null;
  const clock = ticket.lifeline.clocks.find((candidate) => candidate.key === `${due.kind}/`);
  const wall = due.due_s - now;
  const isApart = clock !== undefined && wall - clock.remaining_seconds > 120;
  const left = isApart && clock ? clock.remaining_seconds : wall;
  const isLate = due.late_from_s !== null && due.late_from_s < now;
  return (
    <p className={`mb-3 flex justify-between gap-3 rounded-small px-3 py-1.5 ${isLate ? "bg-rust-2" : "bg-crown-2"}`}>
      <span>
        {isLate ? (
          <b>
            {clockWord(due.kind)} overdue {span(now - due.due_s)}
          </b>
        ) : wall <= 0 ? (
          <>
            <b>No time left</b> to {clockVerb(due.kind)} · due {when(due.due_s, now)}, overdue when hours resume{" "}
            {due.late_from_s === null ? "" : `(${when(due.late_from_s, now)})`}
          </>
        ) : (
          <>
            <b>{span(left)}</b> {isApart ? "of service time " : ""}left to {clockVerb(due.kind)} · due {when(due.due_s, now)}
            {chance === undefined ? null : (
              <>
                {" "}
                · <b>may be late: {inTen(chance)}</b>
              </>
            )}
          </>
        )}
      </span>
      <WhyCard number={ticket.id} of={key} />
    </p>
  );
}
