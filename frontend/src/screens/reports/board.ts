import type { components } from "../../api/schema";
import { isTree, partsOf, pruned, saysSomething, type Tree } from "../../parts/condition/tree";
import { type Definition, isSpanless } from "./report";

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

/** What a whole dashboard is narrowed to: one team, a condition over tickets, a span of time. */
export interface BoardFilter {
  team: string;
  where: Tree | null;
  span: string;
}

export const UNFILTERED: BoardFilter = { team: "", where: null, span: "" };

/** The filter as it stands in an address; what is none narrows nothing. */
export function readFilter(params: URLSearchParams): BoardFilter {
  let where: Tree | null = null;
  try {
    const found: unknown = JSON.parse(params.get("where") ?? "null");
    if (isTree(found)) where = found;
  } catch {
    where = null;
  }
  return { team: params.get("team") ?? "", where, span: params.get("span") ?? "" };
}

/** The same, for an address. */
export function writeFilter({ team, where, span }: BoardFilter): Record<string, string> {
  return {
    ...(team ? { team } : {}),
    // What is still being put together stands there too.
    ...(where && partsOf(where).parts.length > 0 ? { where: JSON.stringify(where) } : {}),
    ...(span ? { span } : {}),
  };
}

/** The filter in words, for a wall. */
export function filterNote({ team, where, span }: BoardFilter): string {
  return [team || "all teams", where && saysSomething(where) ? "narrowed" : "", span].filter(Boolean).join(" · ");
}

function leaves({ team, where }: BoardFilter): Tree[] {
  return [
    ...(where && saysSomething(where) ? [pruned(where)] : []),
    ...(team === "" ? [] : [{ field: "team", op: "is", value: team } as Tree]),
  ];
}

/** The condition of a live list, narrowed. */
export function listOf(where: Tree | null | undefined, filter: BoardFilter): Tree {
  const more = leaves(filter);
  if (more.length === 0) return where ?? { all: [] };
  return { all: [...(where ? [where] : []), ...more] };
}

/** A report, narrowed; one of records that are no tickets and stand beside none only to its span. */
export function reportOf(definition: Definition, filter: BoardFilter, isOnTicket: boolean): Definition {
  const more = isOnTicket ? leaves(filter) : [];
  const spanned = filter.span !== "" && !isSpanless(definition) ? { span: filter.span } : {};
  const all = [...(definition.where ? [definition.where] : []), ...more];
  const where = more.length === 0 ? {} : { where: all.length === 1 ? all[0] : ({ all } as Tree) };
  return { ...definition, ...spanned, ...where };
}

/** What of the filter a part cannot take, in words; nothing where it takes all of it. */
export function notNarrowed(kind: string, isOnTicket: boolean, { where, span }: BoardFilter): string {
  const condition = where !== null && saysSomething(where) && (kind === "outlook" || kind === "schedule" || !isOnTicket);
  const time = span !== "" && kind !== "report";
  return condition || (time && kind === "list") ? "not narrowed" : "";
}
