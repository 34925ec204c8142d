import { Link } from "react-router";
import { startOfDay, weekday, when } from "../../parts/time";

interface Change {
  id: number;
  title: string;
  starts_s: number | null;
  ends_s: number | null;
  team: string;
}

export interface Coming {
  from_s: number;
  to_s: number;
  changes: Change[];
  clashing: number[];
  windows: { start_s: number; end_s: number; kind: string; name: string }[];
}

const MOST = 10;
const DAY = 86_400;

/** The changes of the two weeks that come, each where it lies; freezes behind them, clashes said. */
export function ComingView({ coming, now, team, isStill }: { coming: Coming; now: number; team: string; isStill: boolean }) {
  const changes = coming.changes.filter((one) => (team === "" || one.team === team) && one.starts_s !== null && one.ends_s !== null);
  if (changes.length === 0) return <p className="text-ink-2">No change is planned for the next two weeks.</p>;
  const whole = coming.to_s - coming.from_s;
  const place = (at: number) => `${Math.min(100, Math.max(0, ((at - coming.from_s) / whole) * 100))}%`;
  const width = (from: number, to: number) => `max(3px, ${((Math.min(to, coming.to_s) - Math.max(from, coming.from_s)) / whole) * 100}%)`;
  const days: number[] = [];
  for (let at = startOfDay(coming.from_s) + DAY; at < coming.to_s; at = startOfDay(at + DAY * 1.25)) days.push(at);
  const freezes = coming.windows.filter((one) => one.kind === "freeze");
  const clashing = new Set(coming.clashing);
  const isClashing = changes.some((one) => clashing.has(one.id));
  return (
    <>
      <div className="grid grid-cols-[minmax(0,42fr)_minmax(0,58fr)] gap-x-3">
        <span />
        <span className="relative block h-[18px] text-[13px] text-ink-2" aria-hidden="true">
          {days.map((at) => (
            <span key={at} className="absolute -translate-x-1/2" style={{ left: place(at + DAY / 2) }}>
              {at + DAY / 2 < coming.to_s ? weekday(at).slice(0, 2) : ""}
            </span>
          ))}
        </span>
      </div>
      <ul>
        {changes.slice(0, MOST).map((one) => (
          <li key={one.id} className="grid grid-cols-[minmax(0,42fr)_minmax(0,58fr)] items-center gap-x-3 border-t border-line py-[3px]">
            <span className="min-w-0">
              <span className="block truncate font-semibold" title={one.title}>
                {isStill ? (
                  one.title
                ) : (
                  <Link className="hover:underline" to={`/desk/tickets/${one.id}`}>
                    {one.title}
                  </Link>
                )}
              </span>
              <span className="block text-[13px] text-ink-2">
                {when(one.starts_s ?? 0, now)}
                {clashing.has(one.id) ? <b className="text-rust">, clashes</b> : null}
              </span>
            </span>
            <span className="relative h-[22px] overflow-hidden" aria-hidden="true">
              {freezes.map((freeze) => (
                <span
                  key={`${freeze.start_s}`}
                  className="absolute inset-y-0 bg-note"
                  style={{ left: place(freeze.start_s), width: width(freeze.start_s, freeze.end_s) }}
                />
              ))}
              {days.map((at) => (
                <span key={at} className="absolute inset-y-0 w-px bg-line" style={{ left: place(at) }} />
              ))}
              <span
                className={`absolute top-[5px] h-[12px] rounded-small ${clashing.has(one.id) ? "bg-rust" : "bg-sea"}`}
                style={{ left: place(one.starts_s ?? 0), width: width(one.starts_s ?? 0, one.ends_s ?? 0) }}
              />
            </span>
          </li>
        ))}
      </ul>
      <p className="mt-1 text-[13px] text-ink-2">
        {changes.length > MOST ? `the first ${MOST} of ${changes.length}` : ""}
        {isClashing ? `${changes.length > MOST ? "; " : ""}red: at odds with another` : ""}
        {freezes.length > 0 ? `${changes.length > MOST || isClashing ? "; " : ""}shaded: ${freezes[0]?.name ?? "a freeze"}` : ""}
      </p>
    </>
  );
}
