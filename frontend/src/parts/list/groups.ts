import type { FieldAbout, Row } from "../../api/client";
import { localInput } from "../time";
import { cellWords } from "./cells";
import { valueOf } from "./cells";

export interface Item {
  row: Row | null;
  label: string;
  value?: unknown;
  note?: string;
}

/** The sections of the order of work, and what stands in each. */
export const TURNS: Record<string, { label: string; note: string }> = {
  overdue: { label: "Overdue", note: "by priority" },
  running: { label: "Running out soonest", note: "then what has no target" },
  "out of hours": { label: "Out of hours", note: "nothing runs until their hours resume" },
  waiting: { label: "Waiting on others", note: "by when they come back" },
  ended: { label: "Ended", note: "latest first" },
};

/** Rows with a heading before each that begins a group; the rows come sorted by it. */
export function headings(rows: Row[], group: string, fields: FieldAbout[], now: number): Item[] {
  if (!group) return inSections(rows);
  const type = fields.find((field) => field.name === group)?.type;
  const items: Item[] = [];
  let last: string | null = null;
  for (const row of rows) {
    const value = groupValue(row, group);
    const label = groupWords(value, group, type, now);
    if (label !== last) items.push({ row: null, label, value });
    last = label;
    items.push({ row, label });
  }
  return items;
}

function inSections(rows: Row[]): Item[] {
  const items: Item[] = [];
  let last: string | undefined;
  for (const row of rows) {
    if (row.turn && row.turn !== last) {
      const section = TURNS[row.turn];
      items.push({ row: null, label: section?.label ?? row.turn, note: section?.note });
      last = row.turn;
    }
    items.push({ row, label: "" });
  }
  return items;
}

function groupValue(row: Row, group: string): unknown {
  if (group === "priority") return `P${row.priority}`;
  return valueOf(row, group);
}

function groupWords(value: unknown, group: string, type: string | undefined, now: number): string {
  if (value === null || value === undefined || value === "") return group === "holder" ? "Unassigned" : "Not set";
  if (type === "instant" && typeof value === "number") {
    const day = localInput(value).slice(0, 10);
    return day === localInput(now).slice(0, 10)
      ? "Today"
      : new Date(value * 1000).toLocaleDateString("en-GB", { weekday: "long", day: "numeric", month: "long", year: "numeric" });
  }
  const words = cellWords(value);
  return words.charAt(0).toUpperCase() + words.slice(1);
}
