import { ChevronDown, ChevronRight } from "lucide-react";
import { useState } from "react";
import type { Clock, Ticket } from "../api/client";
import { useNow, useWidth } from "./hooks";
import { lifelineScale, type LifelineScale, lifelineTicks, midnights } from "./lifelineScale";
import { clockTime, exact, MINUTE, span, when } from "./time";
import { Bar, COUNTED, FoldedClocks, isLive, rowBars, wordsOf } from "./lifelineBars";
import { WhyCard } from "./WhyCard";

const RIGHT = 176;
// Each line carries a button with its time in words: rows closer than 24 px would be missed by a finger.
const ROW = 24;
const HEAD = 24;
const FOLDED = "gannet-lifeline-folded";

/** The strip across a record that draws its whole life on one real time axis. */
export function Lifeline({ ticket }: { ticket: Ticket }) {
  const [ref, width] = useWidth<HTMLDivElement>();
  const now = useNow();
  const [isFolded, setFolded] = useState(() => localStorage.getItem(FOLDED) === "yes");
  const clocks = ticket.lifeline.clocks.filter((clock) => clock.rows.length > 0 || clock.due_s !== null);
  const labels = width > 700 ? 156 : 112;
  const scale = scaleOf(ticket, clocks, now, labels, Math.max(labels + 120, width - (width > 700 ? RIGHT : 96)));
  const rows = isFolded ? 1 : 1 + clocks.length;
  const height = (isFolded ? 4 : HEAD) + rows * ROW + (isFolded ? 4 : 0);
  const fold = () => {
    localStorage.setItem(FOLDED, isFolded ? "no" : "yes");
    setFolded(!isFolded);
  };
  return (
    <section aria-label="Lifeline" className="rounded-card border border-line bg-sheet px-3.5 pb-1.5 pt-1">
      <div ref={ref} className="relative" style={{ height }}>
        <button
          type="button"
          aria-expanded={!isFolded}
          className="absolute left-0 top-0 z-10 inline-flex h-6 items-center gap-1 font-bold hover:underline"
          onClick={fold}
        >
          {isFolded ? <ChevronRight size={15} aria-hidden="true" /> : <ChevronDown size={15} aria-hidden="true" />}
          Lifeline
        </button>
        {width > 200 ? (
          <>
            {isFolded ? null : <Ticks scale={scale} now={now} height={height} isOpen={ticket.is_open} />}
            <Line top={isFolded ? 2 : HEAD} label={isFolded ? "" : "assignee"}>
              {ticket.lifeline.holders.map((holder) => (
                <Bar
                  key={holder.from_s}
                  scale={scale}
                  from={holder.from_s}
                  to={holder.to_s ?? now}
                  className={holder.person ? "bg-sea text-on-sea" : "border border-line-2 bg-note text-ink"}
                  title={`${holder.person || "unassigned"}, ${holder.team}, from ${exact(holder.from_s)}`}
                >
                  {holder.person ? `${holder.person} · ${holder.team}` : `unassigned · ${holder.team}`}
                </Bar>
              ))}
              {isFolded ? <FoldedClocks clocks={clocks} scale={scale} now={now} isOpen={ticket.is_open} width={width} /> : null}
            </Line>
            {isFolded
              ? null
              : clocks.map((clock, index) => (
                  <ClockLine
                    key={clock.key}
                    clock={clock}
                    top={HEAD + (index + 1) * ROW}
                    scale={scale}
                    now={now}
                    number={ticket.id}
                    width={width}
                  />
                ))}
            {isFolded ? null : <Marks ticket={ticket} scale={scale} height={rows * ROW} />}
            {scale.far ? <Break left={scale.near.right} right={scale.far.left} height={height} /> : null}
          </>
        ) : null}
      </div>
      {isFolded ? null : <HeldTotals ticket={ticket} />}
      {isFolded ? null : <Legend clocks={clocks} />}
      <LifelineInWords ticket={ticket} />
    </section>
  );
}

function scaleOf(ticket: Ticket, clocks: Clock[], now: number, left: number, right: number): LifelineScale {
  const from = ticket.lifeline.from_s;
  const lived = ticket.is_open ? now : Math.max(...ticket.lifeline.marks.map((mark) => mark.at_s), from + MINUTE);
  const ends = clocks.flatMap((clock) => (isLive(clock) && clock.due_s !== null && clock.due_s > lived ? [clock.due_s] : []));
  return lifelineScale(from, lived, ends, left, right);
}

function Ticks({ scale, now, height, isOpen }: { scale: LifelineScale; now: number; height: number; isOpen: boolean }) {
  const parts = scale.far ? [scale.near, scale.far] : [scale.near];
  const nowX = scale.x(now);
  return (
    <div aria-hidden="true" className="text-[12px] text-ink-2">
      {parts.map((part) => (
        <div key={part.from}>
          {midnights(part).map((x) => (
            <span key={x} className="absolute border-l border-line-2" style={{ left: x, top: HEAD - 4, height: height - HEAD + 4 }} />
          ))}
          {lifelineTicks(part, now).map((tick) => (
            <span key={tick.at}>
              {(isOpen && Math.abs(tick.x - nowX) < 46) || tick.x - part.left < 18 ? null : (
                <span
                  className={`absolute top-0 -translate-x-1/2 whitespace-nowrap leading-[20px] ${tick.isDay ? "font-semibold text-ink" : ""}`}
                  style={{ left: tick.x }}
                >
                  {tick.label}
                </span>
              )}
              <span
                className="absolute border-l border-dotted border-line"
                style={{ left: tick.x, top: HEAD - 4, height: height - HEAD + 4 }}
              />
            </span>
          ))}
        </div>
      ))}
      {isOpen ? (
        <>
          <span
            className="absolute top-0 z-10 -translate-x-1/2 rounded bg-bar px-1.5 font-mono font-semibold text-white"
            style={{ left: nowX }}
          >
            {clockTime(now)}
          </span>
          <span className="absolute top-4 z-10 w-[2px] bg-ink" style={{ left: nowX - 1, height: height - 18 }} />
        </>
      ) : null}
    </div>
  );
}

/** Where the axis is cut: what lies right of it has a scale of its own. */
function Break({ left, right, height }: { left: number; right: number; height: number }) {
  const width = right - left;
  const steps = Math.ceil(height / 8);
  const edge = (x: number) =>
    Array.from({ length: steps + 1 }, (_, step) => `${step === 0 ? "M" : "L"}${x + (step % 2 ? 3 : -1)} ${step * 8}`).join(" ");
  return (
    <svg
      className="absolute z-[4] bg-paper/90"
      style={{ left: left - 2, top: 0 }}
      width={width + 4}
      height={height}
      role="img"
      aria-label="The axis is cut here; what lies beyond has a scale of its own"
    >
      <title>The axis is cut here; what lies beyond has a scale of its own</title>
      <path d={edge(4)} fill="none" stroke="var(--color-line-2)" strokeWidth="1.5" />
      <path d={edge(width - 2)} fill="none" stroke="var(--color-line-2)" strokeWidth="1.5" />
    </svg>
  );
}

function Line({ top, label, children }: { top: number; label: React.ReactNode; children: React.ReactNode }) {
  return (
    <div className="absolute left-0 right-0" style={{ top, height: ROW }}>
      <div className="absolute w-[150px] truncate text-[13px] leading-[20px] text-ink-2 max-[700px]:w-[106px]">{label}</div>
      {children}
    </div>
  );
}

interface ClockLineProps {
  clock: Clock;
  top: number;
  scale: LifelineScale;
  now: number;
  number: number;
  width: number;
}

function ClockLine({ clock, top, scale, now, number, width }: ClockLineProps) {
  const last = clock.rows.at(-1);
  const isGoing = isLive(clock);
  const dueAt = clock.due_s ?? clock.missed_s;
  const flag = dueAt !== null ? scale.x(dueAt) : null;
  const textAt =
    Math.max(isGoing || clock.state === "missed" ? (flag ?? 0) : 0, scale.x(last?.to_s ?? scale.near.from), isGoing ? scale.x(now) : 0) + 8;
  const words = wordsOf(clock, now);
  const isLate = clock.state === "late" || clock.state === "missed";
  return (
    <Line top={top} label={clock.label}>
      {clock.rows.flatMap((row) =>
        rowBars(clock, row, now).map((bar) => <Bar key={`${row.kind}${bar.from}${bar.className}`} scale={scale} {...bar} />),
      )}
      {clock.ahead.map(([from = 0, to = 0]) => (
        <Bar key={from} scale={scale} from={from} to={to} thin={COUNTED} className="border border-dashed border-sea-2 bg-sea-3" />
      ))}
      {flag !== null ? (
        <span
          title={`due ${exact(dueAt ?? 0)}`}
          className={`absolute top-[1px] z-[5] h-[18px] w-[3px] ${isLate ? "bg-rust" : isGoing ? "bg-crown" : "bg-line-2"}`}
          style={{ left: flag - 1 }}
        />
      ) : null}
      <span
        className={`absolute z-[5] whitespace-nowrap rounded bg-sheet/85 px-0.5 text-[13px] leading-[20px] ${isLate ? "font-semibold text-rust" : ""}`}
        style={textAt + words.length * 6.6 > width ? { right: 0 } : { left: textAt }}
      >
        <WhyCard number={number} of={`clock:${clock.key}`} label={`why: ${clock.label} clock, ${words}`}>
          {words}
        </WhyCard>
      </span>
    </Line>
  );
}

function Legend({ clocks }: { clocks: Clock[] }) {
  const kinds = new Set(clocks.flatMap((clock) => clock.rows.map((row) => row.kind)));
  const shown: [string, string][] = [
    ...(kinds.has("paused") ? [["hatched border border-line-2", "waiting"] as [string, string]] : []),
    ...(kinds.has("closed") ? [["bg-closed", "out of hours"] as [string, string]] : []),
    ...([...kinds].some((kind) => !["counted", "paused", "closed"].includes(kind))
      ? [["!h-0 border-t-2 border-dotted border-line-2", "not counted"] as [string, string]]
      : []),
  ];
  if (shown.length === 0) return null;
  return (
    <p aria-hidden="true" className="mt-0.5 flex justify-end gap-4 text-[12px] text-ink-2">
      {shown.map(([look, words]) => (
        <span key={words} className="inline-flex items-center gap-1.5">
          <span className={`inline-block h-[9px] w-[16px] rounded-[2px] ${look}`} /> {words}
        </span>
      ))}
    </p>
  );
}

function Marks({ ticket, scale, height }: { ticket: Ticket; scale: LifelineScale; height: number }) {
  const shown = ticket.lifeline.marks.slice(-120);
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
    const who = holder.person || `unassigned in ${holder.team}`;
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
          From {when(holder.from_s, now)} assigned to {holder.person || "nobody"} in {holder.team}.
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
