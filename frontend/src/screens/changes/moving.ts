import { DAY, HOUR, instantOfLocal, localInput } from "../../parts/time";
import type { SpanKey } from "./lanes";

const QUARTER = 900;

/** A span that somebody is about to give to a change. */
export interface Span {
  starts: number;
  ends: number;
}

export type Grip = "move" | "stretch";

/** By how much one step moves where so much is drawn: quarter hours close by, days from afar. */
export function stepOf(key: SpanKey): number {
  if (key === "day" || key === "week") return QUARTER;
  return key === "fortnight" ? HOUR : DAY;
}

/** An instant moved by some seconds; whole days are moved on the wall, whatever the clocks do. */
function shifted(at: number, by: number): number {
  if (by % DAY !== 0 || by === 0) return at + by;
  const day = new Date(Date.parse(`${localInput(at)}Z`) + by * 1000).toISOString().slice(0, 16);
  return instantOfLocal(day);
}

/** A span moved or stretched by some seconds, on the grid of steps; never shorter than a step or a quarter hour. */
export function moved(span: Span, grip: Grip, by: number, step: number): Span {
  const steps = Math.round(by / step) * step;
  const ends = shifted(span.ends, steps);
  if (grip === "move") return { starts: shifted(span.starts, steps), ends };
  const least = span.starts + Math.min(step, QUARTER);
  return { starts: span.starts, ends: Math.max(ends, least) };
}
