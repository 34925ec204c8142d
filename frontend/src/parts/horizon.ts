import { clockTime, DAY, HOUR, MINUTE, startOfDay, weekday } from "./time";

/**
 * The horizon: late left of now, then four hours to scale, then days pressed together.
 * Positions are fractions of the axis' width.
 */
const NOW_AT = 0.19;
const LINEAR_SPAN = 4 * HOUR;
const LINEAR_WIDTH = 0.37;
const FAR_SPAN = 7 * DAY;
const FAR_SCALE = 10 * HOUR;
const LATE_SPAN = 3 * DAY;
const LATE_SCALE = 45 * MINUTE;

export const nowAt = NOW_AT;

export function place(at: number, now: number): number {
  const ahead = at - now;
  if (ahead < 0) {
    const share = Math.log1p(-ahead / LATE_SCALE) / Math.log1p(LATE_SPAN / LATE_SCALE);
    return NOW_AT * (1 - Math.min(1, share) * 0.92);
  }
  if (ahead <= LINEAR_SPAN) return NOW_AT + (ahead / LINEAR_SPAN) * LINEAR_WIDTH;
  const far = Math.log1p((ahead - LINEAR_SPAN) / FAR_SCALE) / Math.log1p(FAR_SPAN / FAR_SCALE);
  return NOW_AT + LINEAR_WIDTH + Math.min(1, far) * (0.98 - NOW_AT - LINEAR_WIDTH);
}

/** Whether an instant lies beyond what the axis can show; its bar is drawn cut. */
export function isBeyond(at: number, now: number): boolean {
  return now - at > LATE_SPAN || at - now > FAR_SPAN;
}

export interface Tick {
  at: number;
  x: number;
  label: string;
}

/** The ticks of the axis, far enough apart to be read. */
export const ticks = lately(ticksOf);
export const closedParts = lately(closedPartsOf);
/** Ticks and closed hours as the background of a row: one picture for all rows, no elements. */
export const ground = lately(groundOf);

/** Every row of a list asks for the same: the last dozen answers are kept. */
function lately<One, Other, Answer>(make: (one: One, other: Other) => Answer): (one: One, other: Other) => Answer {
  const kept: { one: One; other: Other; answer: Answer }[] = [];
  return (one, other) => {
    const known = kept.find((entry) => entry.one === one && entry.other === other);
    if (known) return known.answer;
    const answer = make(one, other);
    kept.unshift({ one, other, answer });
    kept.length = Math.min(kept.length, 12);
    return answer;
  };
}

function ticksOf(now: number, width: number): Tick[] {
  const wanted: { at: number; label: string }[] = [1, 2, 4].map((hours) => ({
    at: now + hours * HOUR,
    label: `${hours} h`,
  }));
  const midnight = startOfDay(now);
  // A day stands at its midnight, also over a change of clocks.
  for (let day = 1; day <= 7; day += 1) {
    const at = startOfDay(midnight + day * DAY + 12 * HOUR);
    wanted.push({ at, label: day === 1 ? "tomorrow" : weekday(at) });
  }
  wanted.sort((one, other) => one.at - other.at);
  const shown: Tick[] = [];
  let last = NOW_AT * width + 22;
  for (const { at, label } of wanted) {
    const x = place(at, now) * width;
    const half = label.length * 3.6;
    if (at <= now + 40 * MINUTE || x - half < last + 8 || x + half > width) continue;
    shown.push({ at, x, label });
    last = x + half;
  }
  return shown;
}

/** What is closed between now and the end of the axis, as [from, to] positions. */
function closedPartsOf(spans: number[][], now: number): [number, number][] {
  const end = now + FAR_SPAN;
  const parts: [number, number][] = [];
  let at = now;
  for (const [from = 0, to = 0] of spans) {
    if (to <= at) continue;
    if (from >= end) break;
    if (from > at) parts.push([place(at, now), place(from, now)]);
    at = Math.max(at, to);
  }
  if (at < end) parts.push([place(at, now), place(end, now)]);
  return parts.filter(([from, to]) => to - from > 0.004);
}

function groundOf(lines: Tick[], parts: [number, number][]): string {
  const marks = lines.map(({ x }) => `transparent ${x - 0.5}px, var(--color-line) ${x - 0.5}px ${x + 0.5}px, transparent ${x + 0.5}px`);
  const shades = parts.map(
    ([from, to]) => `transparent ${from * 100}%, var(--color-closed) ${from * 100}% ${to * 100}%, transparent ${to * 100}%`,
  );
  const layers = [marks, shades].filter((stops) => stops.length > 0);
  return layers.map((stops) => `linear-gradient(to right, ${stops.join(", ")})`).join(", ") || "none";
}

export function nowLabel(now: number): string {
  return clockTime(now);
}
