import type { Row } from "../../api/client";
import { asText } from "../text";

/** The value of a field in a row: among its cells, else its own. */
export function valueOf(row: Row, name: string): unknown {
  if (row.cells && name in row.cells) return row.cells[name];
  return (row as unknown as Record<string, unknown>)[name];
}

/** A value as a cell of a list says it. */
export function cellWords(value: unknown): string {
  if (value === null || value === undefined) return "";
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (Array.isArray(value)) return value.map(String).join(", ");
  return asText(value);
}
