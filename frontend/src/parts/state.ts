import type { Row } from "../api/client";
import { HOUR, span, when } from "./time";

const CLOCK_WORDS: Record<string, string> = { answer: "response", fix: "resolution", "team answer": "team response" };
const CLOCK_VERBS: Record<string, string> = { answer: "respond", fix: "resolve", "team answer": "respond" };

/** A kind of clock as it is called. */
export function clockWord(kind: string): string {
  return CLOCK_WORDS[kind] ?? kind;
}

/** What is to be done before a clock runs out. */
export function clockVerb(kind: string): string {
  return CLOCK_VERBS[kind] ?? kind;
}

export type Urgency = "late" | "close" | "fine" | "waiting" | "none";

/** How a row stands at an instant: one word for its colour, shape and text. */
export function urgencyOf(row: Pick<Row, "due_s" | "late_from_s" | "left_seconds">, now: number): Urgency {
  if (row.due_s === null) return row.left_seconds === null ? "none" : "waiting";
  if (row.late_from_s !== null && row.late_from_s < now) return "late";
  if (row.due_s - now < HOUR) return "close";
  return "fine";
}

/** What stands beside a row's flag. */
export function dueWords(row: Pick<Row, "due_s" | "late_from_s" | "left_seconds" | "due_kind" | "waiting_until_s">, now: number): string {
  switch (urgencyOf(row, now)) {
    case "late":
      return `${row.due_kind === "answer" ? "response " : ""}overdue ${span(now - (row.due_s ?? now))}`;
    case "close": {
      const left = (row.due_s ?? now) - now;
      if (left <= 0) return `overdue when hours resume${row.late_from_s === null ? "" : ` (${when(row.late_from_s, now)})`}`;
      return `${span(left)} to ${clockVerb(row.due_kind)}`;
    }
    case "fine": {
      const ahead = (row.due_s ?? now) - now;
      return ahead < 8 * HOUR ? span(ahead) : when(row.due_s ?? now, now);
    }
    case "waiting":
      if (row.waiting_until_s !== null) return `back ${when(row.waiting_until_s, now)}`;
      return `${span(row.left_seconds ?? 0)} left`;
    case "none":
      return "";
  }
}

export function moveWords(row: Row, now: number): string {
  if (row.state !== "waiting" || row.waiting_since_s === null) return "";
  const on = row.waiting_on === "requester" ? row.requester : row.waiting_on;
  if (row.waiting_on === "date" && row.waiting_until_s !== null) return `until ${when(row.waiting_until_s, now)}`;
  return `on ${on} since ${when(row.waiting_since_s, now)}`;
}
