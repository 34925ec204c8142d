import { useState } from "react";
import { Link } from "react-router";
import { api, ok, type Ticket } from "../../api/client";
import { when } from "../../parts/time";
import { inputClass } from "../../parts/ui";
import { useTicketWrite } from "../../parts/useTicketWrite";
import { Panel } from "../record/Panel";

/** What similar past changes did; which of them count can be corrected by hand. */
export function TrackPanel({ ticket, now }: { ticket: Ticket; now: number }) {
  const { write, isBusy } = useTicketWrite(ticket.id);
  const [isOpen, setOpen] = useState(false);
  const [typed, setTyped] = useState("");
  const change = ticket.change;
  if (!change) return null;
  const { track } = change.assessment;
  const canEdit = ticket.is_open && ticket.acts.some((act) => act.name === "change" && act.why_not === "");
  const rate = (share: number | null) => `${Math.round((share ?? 0) * 100)} %`;
  const edit = (body: { added?: number[]; dropped?: number[] }, words: string) =>
    write(ok(api.PATCH("/api/changes/{number}", { params: { path: { number: ticket.id } }, body })), words);
  const add = () => {
    const number = Number.parseInt(typed, 10);
    if (Number.isFinite(number)) void edit({ added: [...change.added, number] }, `${number} counts.`).then((done) => done && setTyped(""));
  };
  return (
    <Panel title="Track record" note={track.n > 0 ? `${track.n} past changes, most alike first` : ""}>
      {track.n === 0 ? (
        <p className="text-ink-2">No past change is like it: one in ten is taken to fail.</p>
      ) : (
        <>
          <ul className="flex flex-wrap items-end gap-1.5" aria-label="Outcomes, most alike first">
            {track.past.map((one) => (
              <li key={one.id}>
                <Link
                  to={`/desk/tickets/${one.id}`}
                  title={`${one.id} ${one.title}: ${one.outcome}`}
                  aria-label={`Change ${one.id}, ${one.outcome}`}
                  className="flex w-[26px] flex-col items-center gap-1 rounded-small py-0.5 hover:bg-sea-3"
                >
                  <Outcome outcome={one.outcome} />
                  <span className="w-[3px] bg-sea-2" style={{ height: 4 + one.score * 26 }} aria-hidden="true" />
                </Link>
              </li>
            ))}
          </ul>
          <Interval low={track.low ?? 0} high={track.high ?? 0} rate={track.rate ?? 0} />
          <p>
            <b>{rate(track.rate)} failed</b>
            {track.failed + track.with_issues > 0 ? (
              <span className="text-ink-2">
                {" "}
                ({track.failed} failed or backed out, {track.with_issues} with issues count half)
              </span>
            ) : null}
            , so between {rate(track.low)} and {rate(track.high)}.
            {track.ratio !== null ? ` Took ${(Math.round(track.ratio * 10) / 10).toLocaleString("en-GB")} × the plan.` : ""}
            {track.incidents > 0 ? ` ${track.incidents} incidents were caused by them.` : ""}
          </p>
        </>
      )}
      <p>
        <button type="button" className="min-h-[24px] text-[13px] underline" aria-expanded={isOpen} onClick={() => setOpen(!isOpen)}>
          {isOpen ? "close the list" : canEdit ? "list, add, drop" : "list"}
        </button>
      </p>
      {isOpen ? (
        <ul>
          {track.past.map((one) => (
            <li key={one.id} className="flex items-baseline gap-2 border-b border-line py-0.5 last:border-0">
              <span className="w-[40px] shrink-0 text-right text-ink-2">{one.is_added ? "added" : `${Math.round(one.score * 100)} %`}</span>
              <Link to={`/desk/tickets/${one.id}`} className="min-w-0 flex-1 truncate hover:underline">
                <span className="font-mono text-[13px]">{one.id}</span> {one.title || "a change that you may not read"}
              </Link>
              <span className="text-[13px] text-ink-2">
                {one.outcome}
                {one.ended_s ? `, ${when(one.ended_s, now)}` : ""}
              </span>
              {canEdit ? (
                <button
                  type="button"
                  disabled={isBusy}
                  className="min-h-[24px] text-[13px] underline"
                  aria-label={`${one.id} does not count`}
                  onClick={() =>
                    void edit(
                      { added: change.added.filter((each) => each !== one.id), dropped: [...change.dropped, one.id] },
                      `${one.id} does not count.`,
                    )
                  }
                >
                  drop
                </button>
              ) : null}
            </li>
          ))}
          {canEdit ? (
            <li className="flex flex-wrap items-center gap-2 pt-1">
              <input
                aria-label="Number of a past change that counts too"
                placeholder="Number of a past change"
                inputMode="numeric"
                className={`${inputClass} !w-[200px]`}
                value={typed}
                onChange={(event) => setTyped(event.target.value.replace(/\D/g, ""))}
                onKeyDown={(event) => {
                  if (event.key === "Enter") add();
                }}
              />
              <button type="button" className="min-h-[24px] underline" disabled={typed === "" || isBusy} onClick={add}>
                add
              </button>
              {change.dropped.length > 0 ? (
                <button
                  type="button"
                  className="min-h-[24px] underline"
                  onClick={() => void edit({ dropped: [] }, "All of them count again.")}
                >
                  count the {change.dropped.length} dropped again
                </button>
              ) : null}
            </li>
          ) : null}
        </ul>
      ) : null}
    </Panel>
  );
}

/** Done is a full circle, with issues half of one, failed or backed out a cross. */
function Outcome({ outcome }: { outcome: string }) {
  if (outcome === "failed" || outcome === "backed out")
    return (
      <svg viewBox="0 0 14 14" className="h-[14px] w-[14px]" aria-hidden="true">
        <path d="M3 3 L11 11 M11 3 L3 11" className="stroke-rust" strokeWidth={2.5} strokeLinecap="round" />
      </svg>
    );
  return (
    <svg viewBox="0 0 14 14" className="h-[14px] w-[14px]" aria-hidden="true">
      <circle cx={7} cy={7} r={5} className={`stroke-sea ${outcome === "done" ? "fill-sea" : "fill-none"}`} strokeWidth={1.5} />
      {outcome === "with issues" ? <path d="M7 2 A5 5 0 0 0 7 12 Z" className="fill-sea" /> : null}
    </svg>
  );
}

function Interval({ low, high, rate }: { low: number; high: number; rate: number }) {
  const most = Math.max(0.5, Math.ceil(high * 4) / 4);
  const x = (share: number) => `${(share / most) * 100}%`;
  return (
    <div className="my-1.5" aria-hidden="true">
      <div className="relative h-[14px] border-b border-line-2">
        <span className="absolute top-[4px] h-[7px] rounded-full bg-sea-2" style={{ left: x(low), width: x(high - low) }} />
        <span className="absolute top-[2px] h-[11px] w-[11px] -translate-x-1/2 rounded-full bg-ink" style={{ left: x(rate) }} />
      </div>
      <div className="flex justify-between text-[12px] text-ink-2">
        <span>0</span>
        <span>{Math.round(most * 100)} % failed</span>
      </div>
    </div>
  );
}
