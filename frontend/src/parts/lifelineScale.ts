import { clockTime, DAY, HOUR, MINUTE, startOfDay, weekday, when } from "./time";

/**
 * The axis of a lifeline. What has happened and what falls due soon stand on one part, to
 * scale. What lies far beyond stands on a second part with a scale and ticks of its own,
 * behind a break that is drawn; nothing stands where it is not.
 */
export interface Part {
  from: number;
  to: number;
  left: number;
  right: number;
}
export interface LifelineScale {
  near: Part;
  /** What lies behind the break; there is none if everything fits on one scale. */
  far: Part | null;
  x: (at: number) => number;
}

const BREAK = 20;
const FAR_SHARE = 0.3;

/** `lived` is the last moment that has been, `ends` are the moments to come. */
export function lifelineScale(from: number, lived: number, ends: number[], left: number, right: number): LifelineScale {
  const age = Math.max(lived - from, 10 * MINUTE);
  const begun = from + age;
  const soon = begun + Math.max(age, HOUR);
  const last = Math.max(begun, ...ends);
  if (last <= soon) {
    const near = { from, to: last + (last > begun ? (last - from) * 0.02 : 0), left, right };
    return { near, far: null, x: (at) => on(near, at) };
  }
  const inside = ends.filter((end) => end <= soon);
  const nearTo = Math.max(begun + Math.max(age * 0.12, 10 * MINUTE), ...inside.map((end) => end + age * 0.05));
  const beyond = ends.filter((end) => end > nearTo);
  const firstFar = Math.min(...beyond);
  const spread = last - firstFar;
  const farFrom = Math.max(nearTo, firstFar - Math.max(spread * 0.15, HOUR));
  const edge = left + (right - left) * (1 - FAR_SHARE);
  const near = { from, to: nearTo, left, right: edge - BREAK / 2 };
  const far = { from: farFrom, to: last + Math.max(spread * 0.06, 10 * MINUTE), left: edge + BREAK / 2, right };
  return {
    near,
    far,
    x: (at) => {
      if (at <= near.to) return on(near, at);
      return at >= far.from ? on(far, at) : edge;
    },
  };
}

function on(part: Part, at: number): number {
  const share = (at - part.from) / (part.to - part.from);
  return part.left + Math.min(1, Math.max(0, share)) * (part.right - part.left);
}

export interface LifelineTick {
  at: number;
  x: number;
  label: string;
  isDay: boolean;
}

const STEPS = [5 * MINUTE, 15 * MINUTE, 30 * MINUTE, HOUR, 2 * HOUR, 4 * HOUR, 12 * HOUR, DAY, 2 * DAY, 7 * DAY, 14 * DAY, 30 * DAY];

/** The ticks of one part, each where its label says, none nearer to another than can be read. */
export function lifelineTicks(part: Part, now: number): LifelineTick[] {
  const room = part.right - part.left;
  const length = part.to - part.from;
  const step = STEPS.find((candidate) => (room * candidate) / length >= 74) ?? 90 * DAY;
  const shown: LifelineTick[] = [];
  for (let day = startOfDay(part.from); day <= part.to; day = nextDay(day, step)) {
    // A step of days leads from midnight to midnight, however long the days between are.
    const until = step >= DAY ? day + 1 : nextDay(day, step);
    for (let at = day; at < until; at += step) {
      if (at < part.from || at > part.to) continue;
      const x = on(part, at);
      const before = shown.at(-1);
      if (before && x - before.x < 60) continue;
      shown.push({ at, x, label: labelOf(at, now, step), isDay: at === startOfDay(at) });
    }
  }
  return shown;
}

/** Local midnights, also over a change of clocks. */
function nextDay(day: number, step: number): number {
  const days = Math.max(1, Math.round(step / DAY));
  return startOfDay(day + days * DAY + 12 * HOUR);
}

function labelOf(at: number, now: number, step: number): string {
  if (at !== startOfDay(at)) return clockTime(at);
  return step <= DAY && Math.abs(at - now) < 6 * DAY ? weekday(at) : when(at, now).replace(/ \d\d:\d\d$/, "");
}

/** Midnights within a part, for a line that can be told from those of the hours. */
export function midnights(part: Part): number[] {
  const found: number[] = [];
  if (part.to - part.from > 40 * DAY) return found;
  for (let day = nextDay(startOfDay(part.from), DAY); day <= part.to; day = nextDay(day, DAY)) found.push(on(part, day));
  return found;
}
