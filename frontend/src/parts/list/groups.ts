import type { FieldAbout, Row } from "../../api/client";
import { localInput } from "../time";
import { cellWords } from "./cells";
import { valueOf } from "./cells";

export interface Item {
  row: Row | null;
  label: string;
  value?: unknown;
}

/** Rows with a heading before each that begins a group; the rows come sorted by it. */
export function headings(rows: Row[], group: string, fields: FieldAbout[], now: number): Item[] {
  if (!group) return rows.map((row) => ({ row, label: "" }));
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

function groupValue(row: Row, group: string): unknown {
  if (group === "priority") return `P${row.priority}`;
  return valueOf(row, group);
}

function groupWords(value: unknown, group: string, type: string | undefined, now: number): string {
  if (value === null || value === undefined || value === "") return group === "holder" ? "Nobody" : "Nothing";
  if (type === "instant" && typeof value === "number") {
    const day = localInput(value).slice(0, 10);
    return day === localInput(now).slice(0, 10)
      ? "Today"
      : new Date(value * 1000).toLocaleDateString("en-GB", { weekday: "long", day: "numeric", month: "long", year: "numeric" });
  }
  const words = cellWords(value);
  return words.charAt(0).toUpperCase() + words.slice(1);
}
