import { useRef, useState } from "react";
import type { Hours } from "./data";
import { smallInput } from "./parts";

const DAYS = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];
const NAMES = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
const STEP = 15;
const DAY = 24 * 60;

/** Minutes of "05:30"; 24:00 is the end of a day; null when it is no time. */
export function readTime(text: string): number | null {
  const found = /^(\d{1,2}):(\d\d)$/.exec(text.trim());
  if (!found) return null;
  const minutes = Number(found[1]) * 60 + Number(found[2]);
  return minutes <= DAY && Number(found[2]) < 60 ? minutes : null;
}

function wall(minutes: number): string {
  return `${String(Math.floor(minutes / 60)).padStart(2, "0")}:${String(minutes % 60).padStart(2, "0")}`;
}

interface Drag {
  day: number;
  from: number;
  to: number;
}

/** A week to drag hours in: several spans a day; a span may run over midnight. */
export function WeekGrid({ hours, onChange }: { hours: Hours; onChange: (hours: Hours) => void }) {
  const [drag, setDrag] = useState<Drag | null>(null);
  const grid = useRef<HTMLDivElement>(null);
  const [problem, setProblem] = useState("");
  const minuteAt = (clientX: number) => {
    const box = grid.current?.getBoundingClientRect();
    if (!box) return 0;
    const share = Math.min(1, Math.max(0, (clientX - box.left) / box.width));
    return Math.round((share * DAY) / STEP) * STEP;
  };
  const setDay = (day: number, spans: [string, string][]) => {
    const name = DAYS[day] ?? "mon";
    const next = { ...hours, [name]: [...spans].sort(([one], [other]) => one.localeCompare(other)) };
    if (next[name]?.length === 0) delete next[name];
    onChange(Object.fromEntries(DAYS.filter((key) => next[key]).map((key) => [key, next[key] ?? []])));
  };
  const drop = () => {
    if (!drag) return;
    const [from, to] = [Math.min(drag.from, drag.to), Math.max(drag.from, drag.to)];
    setDrag(null);
    if (to - from < STEP) return;
    const spans = hours[DAYS[drag.day] ?? ""] ?? [];
    setDay(drag.day, merged([...spans, [wall(from), wall(to)]]));
  };
  return (
    <div className="mt-2">
      <div className="grid grid-cols-[92px_minmax(0,1fr)_minmax(150px,210px)] gap-x-2">
        <span />
        <div className="relative h-4 text-[11px] text-ink-2" aria-hidden="true">
          {[0, 6, 12, 18, 24].map((hour) => (
            <span key={hour} className="absolute -translate-x-1/2" style={{ left: `${(100 * hour) / 24}%` }}>
              {String(hour).padStart(2, "0")}
            </span>
          ))}
        </div>
        <span />
      </div>
      <div className="grid grid-cols-[92px_minmax(0,1fr)_minmax(150px,210px)] gap-x-2 gap-y-1">
        {DAYS.map((name, day) => {
          const spans = hours[name] ?? [];
          const before = hours[DAYS[(day + 6) % 7] ?? ""] ?? [];
          return (
            <div key={name} className="contents">
              <span className="self-center">{NAMES[day]}</span>
              <div
                ref={day === 0 ? grid : undefined}
                className="relative h-7 touch-none rounded bg-closed"
                onPointerDown={(event) => {
                  if (event.button !== 0) return;
                  event.currentTarget.setPointerCapture(event.pointerId);
                  const at = minuteAt(event.clientX);
                  setDrag({ day, from: at, to: at });
                }}
                onPointerMove={(event) => (drag?.day === day ? setDrag({ ...drag, to: minuteAt(event.clientX) }) : undefined)}
                onPointerUp={drop}
                onPointerCancel={() => setDrag(null)}
              >
                {[6, 12, 18].map((hour) => (
                  <span
                    key={hour}
                    aria-hidden="true"
                    className="absolute inset-y-0 w-px bg-line-2"
                    style={{ left: `${(100 * hour) / 24}%` }}
                  />
                ))}
                {before.filter(overNight).map(([, end], index) => (
                  <Bar
                    key={`o${index}`}
                    from={0}
                    to={readTime(end) ?? 0}
                    isRest
                    title={`from ${NAMES[(day + 6) % 7] ?? ""} until ${end}`}
                  />
                ))}
                {spans.map(([start, end], index) => (
                  <Bar
                    key={index}
                    from={readTime(start) ?? 0}
                    to={overNight([start, end]) ? DAY : (readTime(end) ?? DAY)}
                    title={`${start}–${end}`}
                  />
                ))}
                {drag?.day === day ? <Bar from={Math.min(drag.from, drag.to)} to={Math.max(drag.from, drag.to)} isNew title="" /> : null}
                {drag?.day === day ? (
                  <span
                    className="absolute -top-5 rounded bg-ink px-1 text-[11px] text-sheet"
                    style={{ left: `${(100 * Math.min(drag.from, drag.to)) / DAY}%` }}
                  >
                    {wall(Math.min(drag.from, drag.to))}–{wall(Math.max(drag.from, drag.to))}
                  </span>
                ) : null}
              </div>
              <DayInput
                name={NAMES[day] ?? ""}
                spans={spans}
                onChange={(next) => setDay(day, next)}
                onProblem={setProblem}
                onEverywhere={() => onChange(Object.fromEntries(DAYS.map((key) => [key, spans])))}
              />
            </div>
          );
        })}
      </div>
      {problem ? (
        <p role="alert" className="text-rust">
          {problem}
        </p>
      ) : (
        <p className="mt-1 text-[12px] text-ink-2">
          Drag across a day to open it, or write hours such as 05:30-12:00, 13:00-22:30. 22:00-06:30 runs into the next morning.
        </p>
      )}
    </div>
  );
}

function overNight([start, end]: [string, string]): boolean {
  return (readTime(end) ?? DAY) <= (readTime(start) ?? 0);
}

function Bar({
  from,
  to,
  title,
  isRest = false,
  isNew = false,
}: {
  from: number;
  to: number;
  title: string;
  isRest?: boolean;
  isNew?: boolean;
}) {
  return (
    <span
      title={title}
      className={`absolute inset-y-0.5 rounded ${isNew ? "bg-crown" : isRest ? "bg-sea-2" : "bg-sea"}`}
      style={{ left: `${(100 * from) / DAY}%`, width: `${(100 * (to - from)) / DAY}%` }}
    />
  );
}

/** Spans that touch or overlap become one; those over midnight stay as they are. */
function merged(spans: [string, string][]): [string, string][] {
  const night = spans.filter(overNight);
  const day = spans
    .filter((span) => !overNight(span))
    .map(([start, end]) => [readTime(start) ?? 0, readTime(end) ?? DAY] as [number, number])
    .sort(([one], [other]) => one - other);
  const found: [number, number][] = [];
  for (const span of day) {
    const last = found.at(-1);
    if (last && span[0] <= last[1]) last[1] = Math.max(last[1], span[1]);
    else found.push([...span]);
  }
  return [...found.map(([start, end]) => [wall(start), wall(end)] as [string, string]), ...night];
}

interface DayInputProps {
  name: string;
  spans: [string, string][];
  onChange: (spans: [string, string][]) => void;
  onProblem: (problem: string) => void;
  onEverywhere: () => void;
}

function DayInput({ name, spans, onChange, onProblem, onEverywhere }: DayInputProps) {
  const shown = spans.map((span) => span.join("-")).join(", ");
  const [text, setText] = useState<string | null>(null);
  const settle = () => {
    if (text === null) return;
    const parts = text
      .split(",")
      .map((part) => part.trim())
      .filter(Boolean);
    const read = parts.map((part) => part.split(/\s*[-–]\s*/).map((time) => readTime(time)));
    const isFine = read.every((pair) => pair.length === 2 && pair[0] !== null && pair[1] !== null && pair[0] !== DAY);
    if (!isFine) return onProblem(`${name}: write hours such as 08:00-18:00, not “${text}”.`);
    onProblem("");
    setText(null);
    onChange(read.map(([start, end]) => [wall(start ?? 0), wall(end ?? 0)]));
    return undefined;
  };
  return (
    <span className="flex items-center gap-1">
      <input
        aria-label={`${name}, hours`}
        className={`${smallInput} min-w-0 flex-1`}
        placeholder="closed"
        value={text ?? shown}
        onChange={(event) => setText(event.target.value)}
        onBlur={settle}
        onKeyDown={(event) => (event.key === "Enter" ? settle() : undefined)}
      />
      <button
        type="button"
        className="px-1 text-[12px] text-ink-2 hover:text-ink"
        title={`The hours of ${name} on every day`}
        onClick={onEverywhere}
      >
        all
      </button>
    </span>
  );
}
