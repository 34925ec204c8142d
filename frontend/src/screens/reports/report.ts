import type { components } from "../../api/schema";
import type { FieldAbout } from "../../api/client";
import { leavesOf, type Tree } from "../../parts/condition/tree";

export type Shown = components["schemas"]["ReportShownShape"];
export type Table = components["schemas"]["ReportTableShape"];
export type Line = components["schemas"]["ReportLineShape"];
export type Words = components["schemas"]["ReportWordsShape"];

export interface Dimension {
  field: string;
  by?: string;
}

/** What a report asks for, as the server reads it. */
export interface Definition {
  kind: string;
  event: string;
  span: string | { from: string; to: string };
  rows: Dimension[];
  columns?: Dimension | null;
  measures: { of: string; way: string }[];
  where?: Tree | null;
  against?: string;
  top?: number;
  draw?: string;
}

export const OPEN_NOW = "open now";
const EVER = "of all time";
export const OPEN_AT_END = "open at the end of each";
/** Groups by how much of a value there is. */
export const BAND = "band";
const ROUND = ["hour of day", "weekday", BAND];
const OPEN_ALONE = [{ of: "records", way: "count" }];
/** What came and went beside what was open. */
export const FLOW = [{ of: "came", way: "count" }, { of: "went", way: "count" }, ...OPEN_ALONE];

export const BLANK: Definition = {
  kind: "incident",
  event: "opened",
  span: "this month",
  rows: [{ field: "team" }],
  columns: null,
  measures: [{ of: "records", way: "count" }],
  draw: "bars",
};

/** A definition as it stands in an address; nothing that is none. */
export function readDefinition(text: string | null): Definition | null {
  if (!text) return null;
  try {
    const found: unknown = JSON.parse(text);
    if (typeof found !== "object" || found === null) return null;
    const said = found as Partial<Definition>;
    if (!Array.isArray(said.rows) || !Array.isArray(said.measures) || typeof said.event !== "string") return null;
    return { ...BLANK, ...said };
  } catch {
    return null;
  }
}

/** The words of a report on one kind of record: what there is to count, to group by and to measure. */
export function wordsOf(words: Words, kind: string): Pick<Words, "events" | "dimensions" | "values"> & { conditions: FieldAbout[] } {
  const own = words.kinds.find((one) => one.key === kind)?.own;
  if (!own) return { ...words, conditions: [] };
  const mine = new Set(own.dimensions.map((one) => one.name));
  const theirs = own.on_ticket ? words.dimensions.filter((one) => !mine.has(one.name)) : [];
  return { events: own.events, dimensions: [...own.dimensions, ...theirs], values: own.values, conditions: own.conditions };
}

/** The fields that a condition on one kind of record can ask about, of those of tickets. */
export function conditionsOf(words: Words, kind: string, ofTickets: FieldAbout[]): FieldAbout[] {
  const own = words.kinds.find((one) => one.key === kind)?.own;
  if (!own) return ofTickets;
  const mine = new Set(own.conditions.map((one) => one.name));
  return [...own.conditions, ...(own.on_ticket ? ofTickets.filter((one) => !mine.has(one.name)) : [])];
}

/** A definition on another kind of record: what that one does not have is left out. */
export function ofKind(definition: Definition, kind: string, words: Words, ofTickets: FieldAbout[]): Definition {
  const known = wordsOf(words, kind);
  const asks = conditionsOf(words, kind, ofTickets);
  const has = (one: Dimension) =>
    one.by === BAND ? known.values.some((other) => other.key === one.field) : known.dimensions.some((other) => other.name === one.field);
  const rows = definition.rows.filter(has);
  const measures = definition.measures.filter((one) => known.values.some((other) => other.key === one.of));
  const first = known.dimensions.find((one) => !one.is_time);
  return fitting(
    {
      ...definition,
      kind,
      event: known.events.includes(definition.event) ? definition.event : (known.events[0] ?? EVER),
      rows: rows.length > 0 || definition.rows.length === 0 || !first ? rows : [{ field: first.name }],
      columns: definition.columns && has(definition.columns) ? definition.columns : null,
      measures: measures.length > 0 ? measures : BLANK.measures,
      where:
        definition.where && leavesOf(definition.where).every((leaf) => asks.some((one) => one.name === leaf.field))
          ? definition.where
          : null,
    },
    words,
  );
}

/** A definition that stays possible when one of its words is another. */
export function fitting(next: Definition, words: Words): Definition {
  if (next.event === OPEN_AT_END) {
    const first = next.rows[0];
    const isTime = first?.by && !["", ...ROUND].includes(first.by);
    return {
      ...next,
      rows: [isTime ? first : { field: cameAt(next.kind, words), by: "week" }],
      columns: next.columns?.by ? null : (next.columns ?? null),
      measures: isFlow(next) ? FLOW : OPEN_ALONE,
    };
  }
  const measures = next.measures.filter((one) => one.of !== "came" && one.of !== "went");
  if (measures.length < next.measures.length) return fitting({ ...next, measures: measures.length > 0 ? measures : OPEN_ALONE }, words);
  if (isSpanless(next)) return { ...next, against: "" };
  return next;
}

/** Whether what came and went stands beside what was open. */
export function isFlow(definition: Definition): boolean {
  return definition.event === OPEN_AT_END && definition.measures.some((one) => one.of === "came" || one.of === "went");
}

/** Whether it counts what is so now, or ever was, and no span. */
export function isSpanless(definition: Definition): boolean {
  return definition.event === OPEN_NOW || definition.event === EVER;
}

/** The moment at which records of a kind come to be open. */
export function cameAt(kind: string, words: Words): string {
  return words.kinds.find((one) => one.key === kind)?.own?.dimensions.find((one) => one.is_time)?.name ?? "opened";
}

/** A report on the records of a list, by team. */
export function reportOn(where: Tree): string {
  const definition: Definition = { ...BLANK, kind: "", event: EVER, where };
  return `/desk/reports?as=${encodeURIComponent(JSON.stringify(definition))}`;
}

export interface Scale {
  divide: number;
  unit: string;
  digits: number;
}

/** In what a column of figures is said, by the greatest of them: all of one column alike. */
export function scaleOf(unit: string, most: number): Scale {
  if (unit === "seconds") {
    if (most >= 2 * 86_400) return { divide: 86_400, unit: "days", digits: 1 };
    if (most >= 2 * 3600) return { divide: 3600, unit: "h", digits: 1 };
    return { divide: 60, unit: "min", digits: 0 };
  }
  if (unit === "minutes") return most >= 600 ? { divide: 60, unit: "h", digits: 0 } : { divide: 1, unit: "min", digits: 0 };
  if (unit === "percent") return { divide: 1, unit: "%", digits: 1 };
  if (unit === "pence") return { divide: 100, unit: "money", digits: most >= 100_000 ? 0 : 2 };
  return { divide: 1, unit: "", digits: most >= 100 ? 0 : 1 };
}

/** A figure in its scale; whole ones stay whole, and nothing is nothing. */
export function said(value: number | null | undefined, scale: Scale): string {
  if (value === null || value === undefined) return "";
  const scaled = value / scale.divide;
  const digits = Number.isInteger(scaled) && scale.unit === "" ? 0 : scale.digits;
  return scaled.toLocaleString("en-GB", { minimumFractionDigits: digits, maximumFractionDigits: digits });
}

/** The scale of each measure of a report: over its table and that beside it. */
export function scalesOf(shown: Shown): Scale[] {
  return shown.measures.map((one, index) => {
    const tables = shown.before ? [shown.table, shown.before] : [shown.table];
    const values = tables.flatMap((table) => [
      ...table.rows.flatMap((row) => [...row.cells.map((cell) => cell[index]), row.total[index]]),
      table.total[index],
    ]);
    const most = Math.max(0, ...values.map((value) => Math.abs(value ?? 0)));
    return scaleOf(one.unit, most);
  });
}

/** How a figure differs from the one before, in words; nothing where nothing can be said. */
export function changeWords(value: number | null | undefined, before: number | null | undefined, unit: string): string {
  if (value === null || value === undefined || before === null || before === undefined) return "";
  if (unit === "percent") {
    const points = value - before;
    return Math.abs(points) < 0.05 ? "as before" : `${Math.abs(points).toFixed(1)} points ${points > 0 ? "more" : "less"}`;
  }
  if (before === 0) return value === 0 ? "as before" : "none before";
  const share = Math.round(((value - before) / before) * 100);
  if (share === 0) return "as before";
  const fewer = unit === "number" ? "fewer" : "less";
  return `${Math.abs(share)} % ${share > 0 ? "more" : fewer}`;
}

/** The rows of the outermost level, of which charts are drawn. */
export function outer(table: Table): Line[] {
  return table.rows.filter((row) => row.path.length <= 1);
}

/** A row's own heading, and how deep it stands. */
export function headOf(row: Line): { label: string; depth: number } {
  return { label: row.path.at(-1)?.label ?? "all", depth: Math.max(0, row.path.length - 1) };
}

/** The row before that stands beside a row: by its place for pieces of time, else by its key. */
export function besides(shown: Shown, row: Line, isTime: boolean): Line | undefined {
  if (!shown.before) return undefined;
  if (!isTime) return shown.before.rows.find((one) => same(one.path, row.path));
  const place = outer(shown.table).findIndex((one) => same(one.path, row.path));
  return place < 0 ? undefined : outer(shown.before)[place];
}

function same(one: Line["path"], other: Line["path"]): boolean {
  return one.length === other.length && one.every((head, index) => head.key === other[index]?.key);
}

/** Whether pieces of the calendar stand in the rows, one after the other. */
export function isTimeline(definition: Definition): boolean {
  const by = definition.rows[0]?.by;
  return by !== undefined && by !== "" && !ROUND.includes(by);
}

/** A span in words, with its last day. */
export function spanWords(span: Definition["span"]): string {
  if (typeof span === "string") return span;
  return `from ${day(span.from)} to ${day(span.to)}`;
}

function day(text: string): string {
  const at = new Date(`${text}T12:00:00Z`);
  return Number.isNaN(at.getTime())
    ? text
    : at.toLocaleDateString("en-GB", { day: "numeric", month: "long", year: "numeric", timeZone: "UTC" });
}
