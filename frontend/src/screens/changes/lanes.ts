import { DAY, startOfDay, weekday } from "../../parts/time";
import type { components } from "../../api/schema";

/** A change as the schedule draws it. */
export type Planned = components["schemas"]["DrawnChangeShape"];

export type SpanKey = "day" | "week" | "fortnight" | "month" | "quarter";
export type LaneBy = "service" | "place" | "holder" | "team" | "group";

export const SPANS: [SpanKey, string][] = [
  ["day", "Day"],
  ["week", "Week"],
  ["fortnight", "Two weeks"],
  ["month", "Month"],
  ["quarter", "Quarter"],
];
export const LANES: [LaneBy, string][] = [
  ["service", "service"],
  ["team", "team"],
  ["holder", "person"],
  ["place", "place"],
  ["group", "group of items"],
];
const DAYS: Record<SpanKey, number> = { day: 1, week: 7, fortnight: 14, month: 31, quarter: 92 };

/** A change as it is drawn: in which row of its lane. */
export interface Drawn {
  change: Planned;
  row: number;
}

export interface Lane {
  name: string;
  rows: number;
  bars: Drawn[];
}

/** What is drawn: whole local days, beginning with Monday where it is more than one. */
export function spanOf(key: SpanKey, shift: number, now: number): [number, number] {
  const days = DAYS[key] ?? 14;
  let from = startOfDay(now);
  if (key !== "day") {
    for (let back = 0; back < 7 && weekday(from + DAY / 2) !== "Mon"; back++) from = startOfDay(from - DAY / 2);
  }
  const start = startOfDay(from + shift * days * DAY + DAY / 2);
  return [start, startOfDay(start + days * DAY + DAY / 2)];
}

/** In which lanes a change stands: in several where its items are in several groups. */
function lanesFor(change: Planned, by: LaneBy): string[] {
  if (by === "group") return change.groups.length > 0 ? change.groups : ["no group"];
  if (by === "service") return [change.service || "no service"];
  if (by === "holder") return [change.holder || "nobody"];
  if (by === "place") return [change.place || "no place"];
  return [change.team];
}

/** Changes shared out to lanes; those that overlap where they are drawn stand beneath each other. */
export function lanesOf(changes: Planned[], by: LaneBy, from: number, to: number): Lane[] {
  // A bar with its number beside it takes so much of the time, however short it is.
  const room = (to - from) * 0.075;
  const lanes = new Map<string, { ends: number[]; bars: Drawn[] }>();
  for (const change of changes) {
    for (const name of lanesFor(change, by)) {
      const lane = lanes.get(name) ?? { ends: [], bars: [] };
      const starts = change.starts_s ?? from;
      let row = lane.ends.findIndex((end) => end <= starts);
      if (row < 0) row = lane.ends.length;
      lane.ends[row] = Math.max(change.ends_s ?? starts, starts + room);
      lane.bars.push({ change, row });
      lanes.set(name, lane);
    }
  }
  return [...lanes].map(([name, lane]) => ({ name, rows: lane.ends.length, bars: lane.bars })).sort((a, b) => a.name.localeCompare(b.name));
}

export interface DayTick {
  at: number;
  label: string;
  isToday: boolean;
}

/** Where lines are drawn: hours of a day, days of weeks, weeks of months. */
export function ticksOf(key: SpanKey, from: number, to: number): DayTick[] {
  const found: DayTick[] = [];
  const today = startOfDay(Date.now() / 1000);
  if (key === "day") {
    for (let at = from; at < to; at += 3 * 3600)
      found.push({ at, label: `${String(Math.round((at - from) / 3600)).padStart(2, "0")}:00`, isToday: false });
    return found;
  }
  const step = key === "quarter" ? 7 : key === "month" ? 2 : 1;
  let index = 0;
  for (let at = from; at < to; at = startOfDay(at + 1.5 * DAY)) {
    if (index % step === 0) found.push({ at, label: dayLabel(at, key), isToday: at === today });
    index++;
  }
  return found;
}

function dayLabel(at: number, key: SpanKey): string {
  const day = new Date((at + DAY / 2) * 1000);
  const number = day.toLocaleDateString("en-GB", { day: "numeric" });
  const month = day.toLocaleDateString("en-GB", { day: "numeric", month: "short" });
  if (key === "quarter") return month;
  if (key === "week") return `${weekday(at + DAY / 2)} ${number}`;
  return weekday(at + DAY / 2) === "Mon" ? `Mon ${month}` : key === "month" ? number : `${weekday(at + DAY / 2)} ${number}`;
}
