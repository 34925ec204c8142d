import type { components } from "../../api/schema";
import type { Definition } from "./report";

export type Dashboard = components["schemas"]["DashboardShape"];
export type Part = components["schemas"]["DashboardPartShape"];
export type Rows = Part[][];

export interface Place {
  row: number;
  at: number;
}

export const MOST_ROWS = 8;
export const MOST_IN_A_ROW = 4;

/** A name that is not there yet. */
export function nameOfCopy(name: string, known: string[]): string {
  if (!known.includes(name)) return name;
  for (let at = 2; ; at += 1) {
    const next = `${name.slice(0, 74)} ${at}`;
    if (!known.includes(next)) return next;
  }
}

/** Rows without empty ones. */
function tidy(rows: Rows): Rows {
  return rows.filter((row) => row.length > 0);
}

/** The rows with a part at the end, in a row of its own; no more than there can be. */
export function added(rows: Rows, part: Part): Rows {
  const last = rows.at(-1);
  if (rows.length < MOST_ROWS) return [...rows, [part]];
  return last && last.length < MOST_IN_A_ROW ? [...rows.slice(0, -1), [...last, part]] : rows;
}

export function removed(rows: Rows, place: Place): Rows {
  return tidy(rows.map((row, index) => (index === place.row ? row.filter((_, at) => at !== place.at) : row)));
}

/** A part set elsewhere: before the one that is there, or at the end of that row. A full row takes no more. */
export function movedTo(rows: Rows, from: Place, to: Place): Rows {
  const part = rows[from.row]?.[from.at];
  const target = rows[to.row];
  if (!part || (from.row === to.row && from.at === to.at)) return rows;
  if (from.row !== to.row && (target?.length ?? 0) >= MOST_IN_A_ROW) return rows;
  const without = rows.map((row, index) => (index === from.row ? row.filter((_, at) => at !== from.at) : row));
  const there = without[to.row] ?? [];
  const at = Math.min(to.at, there.length);
  const next = [...there.slice(0, at), part, ...there.slice(at)];
  return tidy(to.row < without.length ? without.map((row, index) => (index === to.row ? next : row)) : [...without, next]);
}

/** A part one step on: within its row, or into the row above or below, where it gets a row of its own at the ends. */
export function stepped(rows: Rows, from: Place, way: "left" | "right" | "up" | "down"): Rows {
  const row = rows[from.row];
  const part = row?.[from.at];
  if (!row || !part) return rows;
  if (way === "left") return from.at === 0 ? rows : movedTo(rows, from, { row: from.row, at: from.at - 1 });
  if (way === "right") return from.at === row.length - 1 ? rows : movedTo(rows, from, { row: from.row, at: from.at + 1 });
  const next = from.row + (way === "up" ? -1 : 1);
  const isOutside = next < 0 || next >= rows.length;
  if (isOutside || (rows[next]?.length ?? 0) >= MOST_IN_A_ROW) {
    // A row of its own, unless it has one.
    if (row.length === 1 || rows.length >= MOST_ROWS) return rows;
    const without = removed(rows, from);
    return way === "up"
      ? [...without.slice(0, from.row), [part], ...without.slice(from.row)]
      : [...without.slice(0, from.row + 1), [part], ...without.slice(from.row + 1)];
  }
  return movedTo(rows, from, { row: next, at: rows[next]?.length ?? 0 });
}

/** The condition of a live list, of one team alone where the dashboard shows one. */
export function listOfTeam(where: unknown, team: string): unknown {
  const leaf = { field: "team", op: "is", value: team };
  const everything = { all: [] };
  if (team === "") return where ?? everything;
  return where ? { all: [where, leaf] } : { all: [leaf] };
}

/** A report of a dashboard that shows one team alone. */
export function ofTeam(definition: Definition, team: string): Definition {
  if (team === "") return definition;
  const leaf = { field: "team", op: "is", value: team };
  return { ...definition, where: definition.where ? { all: [definition.where, leaf] } : leaf };
}
