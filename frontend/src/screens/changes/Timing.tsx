import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ok, type Ticket } from "../../api/client";
import { useDebounced } from "../../parts/hooks";
import { clockTime, DAY, exact, instantOfLocal, localInput, span, weekday, when } from "../../parts/time";
import { Button, ErrorNote, Field } from "../../parts/ui";
import { useTicketWrite } from "../../parts/useTicketWrite";
import { WhenInput } from "../../parts/WhenInput";
import { useSession } from "../../shell/session";
import { Panel } from "../record/Panel";
import { AnnounceChange } from "./AnnounceChange";
import { type Assessment, type Change, type Clash, clashWords } from "./words";

const ANNOUNCERS = ["administrator", "team lead", "knowledge editor"];

/** When it is to happen: its span among windows and freezes, what clashes, and where it would fit. */
export function TimingPanel({ ticket, now }: { ticket: Ticket; now: number }) {
  const change = ticket.change;
  const [isOpen, setOpen] = useState(false);
  const [isAnnouncing, setAnnouncing] = useState(false);
  const { me } = useSession();
  if (!change) return null;
  const canAnnounce =
    (me?.roles ?? []).some((role) => ANNOUNCERS.includes(role)) && ticket.is_open && change.starts_s !== null && change.ended_s === null;
  const canEdit = change.is_editable && ticket.acts.some((act) => act.name === "change" && act.why_not === "");
  const { starts_s: starts, ends_s: ends } = change;
  return (
    <Panel title="When" note={starts && ends ? span(ends - starts) : ""}>
      {starts && ends ? (
        <>
          <p>
            <b title={exact(starts)}>
              {when(starts, now)}–{clockTime(ends)}
            </b>
            {starts > now ? <span className="text-ink-2">, in {span(starts - now)}</span> : null}
            {change.began_s ? (
              <span className="block text-ink-2">
                really from {when(change.began_s, now)}
                {change.ended_s ? ` to ${when(change.ended_s, now)}, ${span(change.ended_s - change.began_s)}` : ""}
              </span>
            ) : null}
          </p>
          <Around change={change} />
        </>
      ) : (
        <p className="text-ink-2">Not planned yet.</p>
      )}
      <Clashes found={change.assessment} now={now} />
      {change.assessment.cab_s ? (
        <p>
          The CAB decides <b>{when(change.assessment.cab_s, now)}</b>.
        </p>
      ) : null}
      {change.review_s && !change.outcome ? (
        <p>
          Looked back on from <b>{when(change.review_s, now)}</b>.
        </p>
      ) : null}
      {change.told_s && change.told_s === starts ? <p className="text-ink-2">Those whom it reaches were told of this time.</p> : null}
      {change.announced ? (
        <p>
          On the portal: <b>{change.announced}</b>
        </p>
      ) : null}
      {!isOpen && (canEdit || canAnnounce) ? (
        <p className="mt-1.5 flex flex-wrap gap-2">
          {canEdit ? <Button onClick={() => setOpen(true)}>{starts ? "Move in time…" : "Plan it…"}</Button> : null}
          {canAnnounce ? <Button onClick={() => setAnnouncing(true)}>{change.announced ? "Announcement…" : "Announce…"}</Button> : null}
        </p>
      ) : null}
      {isAnnouncing ? <AnnounceChange ticket={ticket} onClose={() => setAnnouncing(false)} /> : null}
      {isOpen ? <Move ticket={ticket} change={change} now={now} onClose={() => setOpen(false)} /> : null}
    </Panel>
  );
}

function Clashes({ found, now }: { found: Assessment; now: number }) {
  if (found.clashes.length === 0) return null;
  return (
    <ul className="mt-1" aria-label="Clashes">
      {together(found.clashes).map((ones) => {
        const [one] = ones;
        return (
          <li key={one.kind + one.other} className="flex gap-x-2 py-0.5">
            <b className="text-rust">clash</b>
            <span className="min-w-0">
              {/^\d+$/.test(one.other) && ["implementer", "ci", "service"].includes(one.kind) ? (
                <Link to={`/desk/tickets/${one.other}`} className="underline">
                  <span className="font-mono text-[13px]">{one.other}</span> {one.name}
                </Link>
              ) : (
                <b>{one.name}</b>
              )}{" "}
              <span className="text-ink-2">
                {ones.map(clashWords).join("; ")}
                {one.starts_s && one.kind !== "cab" ? `, ${when(one.starts_s, now)}` : ""}
              </span>
            </span>
          </li>
        );
      })}
    </ul>
  );
}

/** What clashes with one thing in several ways stands once. */
function together(clashes: Clash[]): [Clash, ...Clash[]][] {
  const found = new Map<string, [Clash, ...Clash[]]>();
  for (const one of clashes) {
    const key = one.other ? one.other : one.kind;
    const known = found.get(key);
    if (known) known.push(one);
    else found.set(key, [one]);
  }
  return [...found.values()];
}

/** Its span to scale, with the windows tinted and the freezes dotted round it. */
function Around({ change }: { change: Change }) {
  const { starts_s: starts, ends_s: ends } = change;
  if (!starts || !ends) return null;
  const side = Math.max(DAY, (ends - starts) * 2);
  const from = starts - side;
  const to = ends + side;
  const x = (at: number) => ((Math.min(Math.max(at, from), to) - from) / (to - from)) * 100;
  const spans = change.around.filter((one) => one.end_s > from && one.start_s < to);
  const days: number[] = [];
  for (let at = Math.ceil(from / DAY) * DAY; at < to; at += DAY) days.push(at);
  return (
    <div className="my-1.5" aria-hidden="true">
      <div className="relative h-[26px] overflow-hidden rounded-small border border-line">
        {spans.map((one, index) => (
          <span
            key={index}
            title={`${one.kind === "freeze" ? one.name : "maintenance window"}: ${exact(one.start_s)} to ${exact(one.end_s)}`}
            className={`absolute inset-y-0 ${one.kind === "freeze" ? "freeze" : "bg-sea-2 opacity-60"}`}
            style={{ left: `${x(one.start_s)}%`, width: `${x(one.end_s) - x(one.start_s)}%` }}
          />
        ))}
        {days.map((at) => (
          <span key={at} className="absolute inset-y-0 w-px bg-line-2" style={{ left: `${x(at)}%` }} />
        ))}
        <span
          className={`absolute inset-y-[5px] rounded-[3px] ${change.is_editable ? "border-2 border-dashed border-ink bg-sheet" : "bg-sea"}`}
          style={{ left: `${x(starts)}%`, width: `max(4px, ${x(ends) - x(starts)}%)` }}
        />
      </div>
      <div className="relative h-[16px] text-[12px] text-ink-2">
        {days.map((at) => (
          <span key={at} className="absolute -translate-x-1/2 whitespace-nowrap" style={{ left: `${Math.min(96, Math.max(4, x(at)))}%` }}>
            {weekday(at + 3600)}
          </span>
        ))}
      </div>
    </div>
  );
}

/** Another time: weighed while it is typed, with the first free spans to take in one click. */
function Move({ ticket, change, now, onClose }: { ticket: Ticket; change: Change; now: number; onClose: () => void }) {
  const [starts, setStarts] = useState(change.starts_s ? localInput(change.starts_s) : "");
  const [ends, setEnds] = useState(change.ends_s ? localInput(change.ends_s) : "");
  const { write, isBusy, fields, problem } = useTicketWrite(ticket.id, true);
  const number = ticket.id;
  const typed = useDebounced(`${starts} ${ends}`, 250);
  const body = {
    starts: starts ? new Date(instantOfLocal(starts) * 1000).toISOString() : "",
    ends: ends ? new Date(instantOfLocal(ends) * 1000).toISOString() : "",
  };
  const isOrdered = starts !== "" && ends !== "" && ends > starts;
  const { data: weighed } = useQuery({
    queryKey: ["weigh", number, typed],
    queryFn: () => ok(api.POST("/api/changes/{number}/weigh", { params: { path: { number } }, body })),
    enabled: isOrdered,
    staleTime: 10_000,
  });
  const length = isOrdered ? Math.round((instantOfLocal(ends) - instantOfLocal(starts)) / 60) : undefined;
  const { data: slots } = useQuery({
    queryKey: ["slots", number, length, ticket.version],
    queryFn: () =>
      ok(
        api.GET("/api/changes/{number}/slots", {
          params: { path: { number }, query: length ? { minutes: length } : {} },
        }),
      ),
    staleTime: 20_000,
  });
  const save = async (said: typeof body) => {
    const done = await write(
      ok(api.PATCH("/api/changes/{number}", { params: { path: { number } }, body: { ...said, version: ticket.version } })),
      "The time is set.",
    );
    if (done) onClose();
  };
  return (
    <form
      className="mt-1.5 border-t border-line pt-1.5"
      onSubmit={(event) => {
        event.preventDefault();
        if (!isBusy) void save(body);
      }}
    >
      <div className="grid grid-cols-2 gap-2 max-[600px]:grid-cols-1">
        <Field label="Begins" error={fields.starts}>
          {(props) => <WhenInput props={props} value={starts} onChange={setStarts} autoFocus />}
        </Field>
        <Field label="Ends" error={fields.ends}>
          {(props) => <WhenInput props={props} value={ends} onChange={setEnds} />}
        </Field>
      </div>
      {starts && ends && !isOrdered ? <ErrorNote>It ends before it begins.</ErrorNote> : null}
      {problem && !fields.starts && !fields.ends ? <ErrorNote>{problem}</ErrorNote> : null}
      {weighed && isOrdered ? (
        <div aria-live="polite" className="mt-1 rounded-small bg-note px-2.5 py-1.5">
          Then its risk is <b>{weighed.points}</b>, {weighed.rating}
          {weighed.points !== change.assessment.points ? <span className="text-ink-2"> (now {change.assessment.points})</span> : null}
          {weighed.clashes.length === 0 ? "; nothing clashes." : ":"}
          <Clashes found={weighed} now={now} />
        </div>
      ) : null}
      <h3 className="mt-2 font-semibold">
        Free spans {length ? <span className="font-normal text-ink-2">of {span(length * 60)}</span> : null}
      </h3>
      {slots?.length === 0 ? <p className="text-ink-2">None within 45 days.</p> : null}
      <ul>
        {slots?.map((one) => (
          <li key={one.start_s} className="py-0.5">
            <button
              type="button"
              disabled={isBusy}
              className="flex w-full flex-wrap items-baseline gap-x-2 rounded-small border border-line px-2 py-1 text-left hover:border-line-2 hover:bg-sea-3"
              onClick={() =>
                void save({ starts: new Date(one.start_s * 1000).toISOString(), ends: new Date(one.end_s * 1000).toISOString() })
              }
            >
              <b>
                {when(one.start_s, now)}–{clockTime(one.end_s)}
              </b>
              <span className="text-[13px] text-ink-2">
                {one.after.length > 0 ? `before it ${one.after.slice(0, 3).join(" · ")}` : "clear"}
              </span>
            </button>
          </li>
        ))}
      </ul>
      <p className="mt-2 flex gap-2">
        <Button tone="sea" type="submit" disabled={isBusy || (starts !== "" && ends !== "" && !isOrdered)}>
          Set the time
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </p>
    </form>
  );
}
