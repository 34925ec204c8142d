import type { Clock, Ticket } from "../api/client";
import { useNow, useWidth } from "./hooks";
import { clockTime, DAY, exact, HOUR, MINUTE, span, startOfDay, weekday, when } from "./time";
import { WhyCard } from "./WhyCard";

const LABELS = 156;
const RIGHT = 190;
// Each line carries a button with its time in words: rows closer than 24 px would be missed by a finger.
const ROW = 24;

interface Scale {
  x: (at: number) => number;
  from: number;
  to: number;
}

/** The strip across a record that draws its whole life on one real time axis. */
export function Lifeline({ ticket }: { ticket: Ticket }) {
  const [ref, width] = useWidth<HTMLDivElement>();
  const now = useNow();
  const { lifeline } = ticket;
  const clocks = lifeline.clocks.filter((clock) => clock.rows.length > 0 || clock.due_s !== null);
  const scale = scaleOf(ticket, clocks, now, width);
  const rows = 1 + clocks.length;
  return (
    <section aria-label="Lifeline" className="rounded-card border border-line bg-sheet px-3.5 pb-2 pt-1">
      <div ref={ref} className="relative" style={{ height: 24 + rows * ROW }}>
        {width > 200 ? (
          <>
            <Ticks scale={scale} now={now} height={24 + rows * ROW} isOpen={ticket.is_open} />
            <Line index={0} label="held by">
              {lifeline.holders.map((holder) => (
                <Bar
                  key={holder.from_s}
                  scale={scale}
                  from={holder.from_s}
                  to={holder.to_s ?? now}
                  className={holder.person ? "bg-sea text-on-sea" : "border border-line-2 bg-note text-ink"}
                  title={`${holder.person || "nobody"}, ${holder.team}, from ${exact(holder.from_s)}`}
                >
                  {holder.person ? `${holder.person} · ${holder.team}` : holder.team}
                </Bar>
              ))}
            </Line>
            {clocks.map((clock, index) => (
              <ClockLine key={clock.key} clock={clock} index={index + 1} scale={scale} now={now} number={ticket.id} width={width} />
            ))}
            <Marks ticket={ticket} scale={scale} height={rows * ROW} />
          </>
        ) : null}
      </div>
      <HeldTotals ticket={ticket} />
      <LifelineInWords ticket={ticket} />
    </section>
  );
}

function scaleOf(ticket: Ticket, clocks: Clock[], now: number, width: number): Scale {
  const from = ticket.lifeline.from_s;
  const ends = clocks.map((clock) => clock.due_s ?? 0);
  const lived = ticket.is_open ? now : Math.max(...ticket.lifeline.marks.map((mark) => mark.at_s), from + MINUTE);
  // A far target may stand at the edge: what has happened must stay readable.
  const far = Math.max(lived, Math.min(Math.max(lived, ...ends), lived + Math.max((lived - from) * 1.5, HOUR)));
  const to = Math.max(far, from + 10 * MINUTE);
  const room = Math.max(120, width - LABELS - (width > 700 ? RIGHT : 90));
  return { x: (at) => LABELS + ((Math.min(at, to) - from) / (to - from)) * room, from, to };
}

const STEPS = [5 * MINUTE, 15 * MINUTE, 30 * MINUTE, HOUR, 2 * HOUR, 4 * HOUR, 8 * HOUR, DAY, 2 * DAY, 7 * DAY];

function Ticks({ scale, now, height, isOpen }: { scale: Scale; now: number; height: number; isOpen: boolean }) {
  const length = scale.to - scale.from;
  const room = scale.x(scale.to) - scale.x(scale.from);
  const step = STEPS.find((candidate) => (room * candidate) / length > 76) ?? 30 * DAY;
  const first = startOfDay(scale.from) + Math.ceil((scale.from - startOfDay(scale.from)) / step) * step;
  const shown: number[] = [];
  for (let at = first; at <= scale.to; at += step) shown.push(at);
  return (
    <div aria-hidden="true" className="text-[12px] text-ink-2">
      {shown.map((at) => (
        <span key={at}>
          <span className="absolute top-0 -translate-x-1/2" style={{ left: scale.x(at) }}>
            {isOpen && Math.abs(scale.x(at) - scale.x(now)) < 46
              ? ""
              : step >= DAY
                ? when(at, now)
                : at === startOfDay(at)
                  ? weekday(at)
                  : clockTime(at)}
          </span>
          <span className="absolute top-5 border-l border-dotted border-line" style={{ left: scale.x(at), height: height - 22 }} />
        </span>
      ))}
      {isOpen ? (
        <>
          <span
            className="absolute top-0 z-10 -translate-x-1/2 rounded bg-bar px-1.5 font-mono font-semibold text-white"
            style={{ left: scale.x(now) }}
          >
            {clockTime(now)}
          </span>
          <span className="absolute top-4 z-10 w-[2px] bg-ink" style={{ left: scale.x(now) - 1, height: height - 18 }} />
        </>
      ) : null}
    </div>
  );
}

function Line({ index, label, children }: { index: number; label: React.ReactNode; children: React.ReactNode }) {
  return (
    <div className="absolute left-0 right-0" style={{ top: 24 + index * ROW, height: ROW }}>
      <div className="absolute w-[150px] truncate text-[13px] leading-[20px] text-ink-2">{label}</div>
      {children}
    </div>
  );
}

interface BarProps {
  scale: Scale;
  from: number;
  to: number;
  className: string;
  title?: string;
  thin?: boolean;
  children?: React.ReactNode;
}

function Bar({ scale, from, to, className, title, thin = false, children }: BarProps) {
  const left = scale.x(from);
  const width = Math.max(2, scale.x(to) - left);
  return (
    <div
      title={title}
      className={`absolute overflow-hidden whitespace-nowrap rounded-[3px] px-1 text-[12px] leading-[17px] ${className}`}
      style={{ left, width, top: thin ? 6 : 1, height: thin ? 8 : 17 }}
    >
      {width > 34 ? children : null}
    </div>
  );
}

interface ClockLineProps {
  clock: Clock;
  index: number;
  scale: Scale;
  now: number;
  number: number;
  width: number;
}

function ClockLine({ clock, index, scale, now, number, width }: ClockLineProps) {
  const last = clock.rows.at(-1);
  const isLive = clock.state === "running" || clock.state === "late" || clock.state === "paused";
  const flag = clock.due_s !== null ? scale.x(Math.min(clock.due_s, scale.to)) : null;
  const textAt = Math.max(flag ?? 0, scale.x(last?.to_s ?? scale.from), isLive ? scale.x(now) : 0) + 8;
  const words = wordsOf(clock, now);
  return (
    <Line index={index} label={clock.label}>
      {clock.rows.map((row) =>
        row.kind === "closed" ? (
          <Bar
            key={row.from_s}
            scale={scale}
            from={row.from_s}
            to={row.to_s}
            thin
            className="bg-closed"
            title={`out of hours, ${span(row.seconds)}`}
          />
        ) : (
          <Bar
            key={row.from_s}
            scale={scale}
            from={row.from_s}
            to={row.to_s}
            thin
            className={
              row.kind === "counted"
                ? clock.state === "late" || clock.state === "missed"
                  ? "bg-rust"
                  : "bg-sea"
                : row.kind === "paused"
                  ? "hatched border border-line-2"
                  : "border border-dashed border-line-2"
            }
            title={`${row.kind} ${span(row.seconds)}, ${when(row.from_s, now)} – ${when(row.to_s, now)}`}
          />
        ),
      )}
      {clock.ahead.map(([from = 0, to = 0]) =>
        from < scale.to ? (
          <Bar
            key={from}
            scale={scale}
            from={from}
            to={Math.min(to, scale.to)}
            thin
            className="border border-dashed border-sea-2 bg-sea-3"
          />
        ) : null,
      )}
      {flag !== null ? <span className="absolute top-[1px] h-[18px] w-[3px] bg-crown" style={{ left: flag - 1 }} /> : null}
      <span
        className="absolute z-[5] whitespace-nowrap rounded bg-sheet/80 px-0.5 text-[13px] leading-[20px]"
        style={textAt + words.length * 6.4 > width ? { right: 0 } : { left: textAt }}
      >
        <WhyCard number={number} of={`clock:${clock.key}`} label={`why: ${clock.label} clock, ${words}`}>
          {words}
        </WhyCard>
      </span>
    </Line>
  );
}

function wordsOf(clock: Clock, now: number): string {
  switch (clock.state) {
    case "met":
      return `${span(clock.consumed_seconds)} of ${span(clock.target_seconds)}, kept`;
    case "missed":
      return `${span(clock.consumed_seconds)} of ${span(clock.target_seconds)}, missed`;
    case "paused":
      return `waiting · ${clock.remaining_seconds >= 0 ? `${span(clock.remaining_seconds)} left` : `over by ${span(clock.remaining_seconds)}`}`;
    case "cancelled":
      return "cancelled";
    default:
      if (clock.due_s === null) return "";
      if (clock.late_from_s !== null && clock.late_from_s < now) return `late by ${span(now - clock.due_s)}`;
      return `due ${when(clock.due_s, now)} · ${span(clock.remaining_seconds)} left`;
  }
}

function Marks({ ticket, scale, height }: { ticket: Ticket; scale: Scale; height: number }) {
  const shown = ticket.lifeline.marks.filter((mark) => mark.at_s <= scale.to).slice(-120);
  return (
    <div aria-hidden="true">
      {shown.map((mark, index) => (
        <span
          key={`${mark.at_s}-${index}`}
          title={`${mark.kind}, ${exact(mark.at_s)}`}
          className="absolute top-[24px] border-l border-dotted border-crown/70"
          style={{ left: scale.x(mark.at_s), height }}
        />
      ))}
    </div>
  );
}

/** Who held it for how long in all, once more than one did: clock time, the longest first. */
function HeldTotals({ ticket }: { ticket: Ticket }) {
  const now = useNow();
  const totals = new Map<string, number>();
  for (const holder of ticket.lifeline.holders) {
    const who = holder.person || `nobody in ${holder.team}`;
    totals.set(who, (totals.get(who) ?? 0) + Math.max(0, (holder.to_s ?? now) - holder.from_s));
  }
  const rows = [...totals].filter(([, seconds]) => seconds >= MINUTE).sort((one, other) => other[1] - one[1]);
  if (rows.length < 2) return null;
  return (
    <p className="mt-0.5 text-[13px] text-ink-2">
      <span className="inline-block w-[150px] max-[700px]:w-auto max-[700px]:pr-2">in all</span>
      {rows.map(([who, seconds], index) => (
        <span key={who}>
          {index > 0 ? " · " : " "}
          {who} <b className="font-semibold text-ink">{span(seconds)}</b>
        </span>
      ))}
    </p>
  );
}

/** The same in words, for screen readers. */
function LifelineInWords({ ticket }: { ticket: Ticket }) {
  const now = useNow();
  return (
    <ul className="sr-only">
      {ticket.lifeline.holders.map((holder) => (
        <li key={holder.from_s}>
          From {when(holder.from_s, now)} held by {holder.person || "nobody"} in {holder.team}.
        </li>
      ))}
      {ticket.lifeline.clocks.map((clock) => (
        <li key={clock.key}>
          {clock.label}: {clock.state}. {wordsOf(clock, now)}
        </li>
      ))}
    </ul>
  );
}
