import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ok, sentence, type Ticket } from "../../api/client";
import { when } from "../../parts/time";
import { Dialog, ErrorNote, Loading } from "../../parts/ui";
import { useTicketWrite } from "../../parts/useTicketWrite";
import { Panel } from "../record/Panel";
import { Foot } from "./Causes";

const SHOWN = 8;

/** The incidents of a problem; more of its kind are suggested, linked and taken off in bulk. */
export function Linked({ ticket, now }: { ticket: Ticket; now: number }) {
  const problem = ticket.problem;
  const [isAll, setAll] = useState(false);
  const [isLinking, setLinking] = useState(false);
  const [isRemoving, setRemoving] = useState(false);
  if (!problem) return null;
  const canEdit = ticket.acts.some((act) => act.name === "note" && act.why_not === "");
  const rows = isAll ? problem.incidents : problem.incidents.slice(0, SHOWN);
  return (
    <Panel title="Incidents" note={`${problem.incidents.length} linked, ${problem.open_count} open`}>
      {problem.incidents.length === 0 ? <p className="text-ink-2">None is linked yet.</p> : null}
      <ul>
        {rows.map((one) => (
          <li key={one.id} className="flex items-baseline gap-2 py-0.5">
            <Link to={`/desk/tickets/${one.id}`} className="min-w-0 flex-1 truncate hover:underline">
              <span className="font-mono text-[13px]">{one.id}</span> {one.title}
            </Link>
            <span className="shrink-0 text-[13px] text-ink-2">
              {one.is_open ? <b className="font-semibold text-ink">{one.state}</b> : one.state}, {when(one.opened_s, now)}
            </span>
          </li>
        ))}
      </ul>
      {problem.not_shown > 0 ? <p className="text-[13px] text-ink-2">{problem.not_shown} more are not listed here.</p> : null}
      <p className="mt-1 flex flex-wrap gap-x-3 text-[13px]">
        {problem.incidents.length > SHOWN ? (
          <button type="button" className="min-h-[24px] underline" aria-expanded={isAll} onClick={() => setAll(!isAll)}>
            {isAll ? "show fewer" : `all ${problem.incidents.length}`}
          </button>
        ) : null}
        {canEdit ? (
          <button type="button" className="min-h-[24px] underline" onClick={() => setLinking(true)}>
            link more…
          </button>
        ) : null}
        {canEdit && problem.incidents.length > 0 ? (
          <button type="button" className="min-h-[24px] underline" onClick={() => setRemoving(true)}>
            take some off…
          </button>
        ) : null}
      </p>
      {isLinking ? <LinkMore ticket={ticket} now={now} onClose={() => setLinking(false)} /> : null}
      {isRemoving ? <TakeOff ticket={ticket} onClose={() => setRemoving(false)} /> : null}
    </Panel>
  );
}

function LinkMore({ ticket, now, onClose }: { ticket: Ticket; now: number; onClose: () => void }) {
  const path = { params: { path: { number: ticket.id } } };
  const { data, error } = useQuery({
    queryKey: ["suggested incidents", ticket.id],
    queryFn: () => ok(api.GET("/api/problems/{number}/incidents", path)),
    staleTime: 0,
  });
  const [chosen, setChosen] = useState<Set<number>>(new Set());
  const [numbers, setNumbers] = useState("");
  const [tells, setTells] = useState(false);
  const { write, isBusy, problem } = useTicketWrite(ticket.id, true);
  const typed = numbers
    .split(/[^0-9]+/)
    .filter(Boolean)
    .map(Number);
  const all = [...new Set([...chosen, ...typed])];
  const save = async () => {
    const body = { add: all, remove: [], tells };
    if (await write(ok(api.POST("/api/problems/{number}/incidents", { ...path, body })), `${all.length} linked.`)) onClose();
  };
  return (
    <Dialog title="Link incidents" about={`To problem ${ticket.id}: ${ticket.title}`} isOpen onClose={onClose} isWide>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (all.length > 0) void save();
        }}
      >
        {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        {!data && !error ? <Loading what="what may belong to it" /> : null}
        {data?.length === 0 ? <p className="text-ink-2">Nothing else of its item, or of its service in its words.</p> : null}
        {data && data.length > 0 ? (
          <>
            <p className="flex gap-3">
              <b className="font-semibold">May belong to it</b>
              <button
                type="button"
                className="underline"
                onClick={() => setChosen(chosen.size === data.length ? new Set() : new Set(data.map((one) => one.id)))}
              >
                {chosen.size === data.length ? "none of them" : `all ${data.length}`}
              </button>
            </p>
            <ul className="max-h-[40vh] overflow-y-auto rounded-small border border-line">
              {data.map((one) => (
                <li key={one.id} className="border-b border-line px-2.5 py-1 last:border-0">
                  <label className="flex items-baseline gap-2">
                    <input
                      type="checkbox"
                      checked={chosen.has(one.id)}
                      onChange={() => {
                        const next = new Set(chosen);
                        if (!next.delete(one.id)) next.add(one.id);
                        setChosen(next);
                      }}
                    />
                    <span className="min-w-0 flex-1">
                      <span className="font-mono text-[13px]">{one.id}</span> {one.title}
                      <span className="block text-[13px] text-ink-2">
                        {one.why} · {one.place} · {when(one.opened_s, now)} {one.is_open ? "· open" : ""}
                      </span>
                    </span>
                  </label>
                </li>
              ))}
            </ul>
          </>
        ) : null}
        <label className="flex flex-col gap-1">
          <span className="font-semibold text-ink-2">Or by their numbers</span>
          <input
            className="w-full rounded-small border border-line-2 bg-sheet px-2.5 py-1.5"
            placeholder="12031, 12026"
            value={numbers}
            onChange={(event) => setNumbers(event.target.value)}
          />
        </label>
        <label className="flex items-center gap-2">
          <input type="checkbox" checked={tells} onChange={(event) => setTells(event.target.checked)} />
          Tell their requesters and assignees that the cause is looked for
        </label>
        {problem ? <ErrorNote>{problem}</ErrorNote> : null}
        <Foot label={all.length > 0 ? `Link ${all.length}` : "Link"} isBusy={isBusy || all.length === 0} onClose={onClose} />
      </form>
    </Dialog>
  );
}

function TakeOff({ ticket, onClose }: { ticket: Ticket; onClose: () => void }) {
  const [chosen, setChosen] = useState<number[]>([]);
  const { write, isBusy } = useTicketWrite(ticket.id);
  const save = async () => {
    const body = { add: [], remove: chosen, tells: false };
    const path = { params: { path: { number: ticket.id } } };
    if (await write(ok(api.POST("/api/problems/{number}/incidents", { ...path, body })), `${chosen.length} taken off.`)) onClose();
  };
  return (
    <Dialog title="Take incidents off" about="They stay as they are; only the link goes." isOpen onClose={onClose} isWide>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void save();
        }}
      >
        <ul className="max-h-[50vh] overflow-y-auto rounded-small border border-line">
          {ticket.problem?.incidents.map((one) => (
            <li key={one.id} className="border-b border-line px-2.5 py-1 last:border-0">
              <label className="flex items-baseline gap-2">
                <input
                  type="checkbox"
                  checked={chosen.includes(one.id)}
                  onChange={() => setChosen(chosen.includes(one.id) ? chosen.filter((id) => id !== one.id) : [...chosen, one.id])}
                />
                <span>
                  <span className="font-mono text-[13px]">{one.id}</span> {one.title}
                </span>
              </label>
            </li>
          ))}
        </ul>
        <Foot label={`Take ${chosen.length || ""} off`} isBusy={isBusy || chosen.length === 0} onClose={onClose} />
      </form>
    </Dialog>
  );
}

/** What has come back since it was resolved. */
export function CameBack({ ticket }: { ticket: Ticket }) {
  const back = ticket.problem?.came_back;
  if (!back) return null;
  const count = back.numbers.length;
  return (
    <p role="alert" className="mt-3 rounded-card border border-rust/40 bg-rust-2 px-3.5 py-2">
      <b>
        {count} {count === 1 ? "incident" : "incidents"} of its kind
      </b>{" "}
      within {back.days} days of its end:{" "}
      {back.numbers.slice(0, 8).map((number) => (
        <Link key={number} to={`/desk/tickets/${number}`} className="mr-2 underline">
          {number}
        </Link>
      ))}
      It may not be mended: reopen it, or say in a note why these are something else.
    </p>
  );
}
