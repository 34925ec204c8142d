import { BAND, BLANK, type Definition, type Dimension, ofKind, OPEN_AT_END, OPEN_NOW, type Words, wordsOf } from "./report";

/** What words could mean as a report, and how that reads. */
export interface Meaning {
  definition: Definition;
  says: string;
}

interface Found<T> {
  what: T;
  /** Where in the words it was found, from and to; so that no word is taken twice. */
  from: number;
  to: number;
}

const EVENTS: Record<string, string> = {
  came: "opened",
  logged: "opened",
  reported: "opened",
  raised: "opened",
  finished: "closed",
  solved: "resolved",
  fixed: "resolved",
  backlog: OPEN_NOW,
  open: OPEN_NOW,
  waiting: OPEN_NOW,
};
const KINDS: Record<string, string> = { tickets: "", calls: "", everything: "", faults: "incident", devices: "item", cis: "item" };
const WAYS: Record<string, string> = {
  average: "mean",
  mean: "mean",
  typical: "median",
  median: "median",
  longest: "max",
  most: "max",
  shortest: "min",
  total: "sum",
  sum: "sum",
  percentile: "p90",
};
const VALUES: Record<string, string> = {
  old: "age",
  age: "age",
  long: "resolution",
  "time to resolve": "resolution",
  "resolution time": "resolution",
  "time to respond": "first response",
  "response time": "first response",
  sla: "resolution met",
  targets: "resolution met",
  promises: "resolution met",
  cost: "cost",
  money: "cost",
  spent: "cost",
  satisfaction: "score",
  happy: "score",
  "hand-overs": "hand-overs",
  knowledge: "with knowledge",
  reopened: "reopened",
  minutes: "minutes",
};
const DIMENSIONS: Record<string, string> = {
  who: "resolver",
  where: "place",
  site: "place",
  location: "place",
  agent: "resolver",
  item: "ci",
};
const PIECES = ["hour of day", "weekday", "hour", "day", "week", "month", "quarter", "year"];

/** The longest of some words that a text has, not within what was found before. */
function find<T>(text: string, known: [string, T][], taken: Found<unknown>[]): Found<T> | null {
  for (const [word, what] of [...known].sort((one, other) => other[0].length - one[0].length)) {
    if (word === "") continue;
    const pattern = new RegExp(`(?<![\\p{L}\\d])${word.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")}s?(?![\\p{L}\\d])`, "u");
    const match = pattern.exec(text);
    if (!match) continue;
    const found = { what, from: match.index, to: match.index + match[0].length };
    if (taken.every((one) => found.to <= one.from || found.from >= one.to)) return found;
  }
  return null;
}

/** What a question in one's own words could mean: the likeliest first, nothing where no word says anything. */
export function meanings(text: string, words: Words): Meaning[] {
  const said = ` ${text.toLocaleLowerCase("en-GB").replace(/\s+/g, " ")} `;
  const taken: Found<unknown>[] = [];
  const take = <T>(known: [string, T][]): T | null => {
    const found = find(said, known, taken);
    if (found) taken.push(found);
    return found?.what ?? null;
  };
  const span = take(words.spans.map((one) => [one, one] as [string, string]));
  const kinds: [string, string][] = [
    ...words.kinds.flatMap((one): [string, string][] => [
      [one.name.toLocaleLowerCase("en-GB"), one.key],
      [one.own ? one.name.toLocaleLowerCase("en-GB").replace(/s$/, "") : one.key, one.key],
    ]),
    ...Object.entries(KINDS),
  ];
  const kind = take(kinds);
  const known = wordsOf(words, kind ?? "");
  const fields: [string, Dimension][] = [
    ...known.dimensions
      .filter((one) => !one.is_time)
      .flatMap((one): [string, Dimension][] => [
        [one.label.toLocaleLowerCase("en-GB"), { field: one.name }],
        [one.name, { field: one.name }],
      ]),
    ...Object.entries(DIMENSIONS)
      .filter(([, name]) => known.dimensions.some((one) => one.name === name))
      .map(([word, name]): [string, Dimension] => [word, { field: name }]),
  ];
  const moment = known.dimensions.find((one) => one.is_time)?.name ?? "opened";
  const pieces: [string, Dimension][] = PIECES.map((by) => [by, { field: moment, by }]);
  const places: Found<Dimension>[] = [];
  for (
    let again = find(said, [...fields, ...pieces], taken);
    again && places.length < 2;
    again = find(said, [...fields, ...pieces], taken)
  ) {
    taken.push(again);
    if (!places.some((one) => one.what.field === again?.what.field && one.what.by === again.what.by)) places.push(again);
  }
  const groups = places.sort((one, other) => one.from - other.from).map((one) => one.what);
  const way = take(Object.entries(WAYS));
  const values: [string, string][] = [
    ...known.values.map((one): [string, string] => [one.label.toLocaleLowerCase("en-GB"), one.key]),
    ...Object.entries(VALUES).filter(([, name]) => known.values.some((one) => one.key === name)),
  ];
  const value = take(values.filter(([word]) => word !== "records"));
  const events: [string, string][] = [
    ...known.events.map((one): [string, string] => [one, one]),
    ...Object.entries(EVENTS).filter(([, event]) => known.events.includes(event)),
  ];
  const event = take(events);
  if (taken.length === 0) return [];

  const first = known.values.find((one) => one.key === value);
  const ways = first?.ways.map((one) => one.key) ?? [];
  const summed = ways.includes("share") ? "share" : way && ways.includes(way) ? way : "mean";
  const measure = first ? [{ of: first.key, way: summed }, ...BLANK.measures] : BLANK.measures;
  const likely =
    event ??
    (value === "age" && known.events.includes(OPEN_NOW) ? OPEN_NOW : (needsEnd(value, known.events) ?? known.events[0] ?? "of all time"));
  const timed = (one: Dimension): Dimension =>
    one.by && known.dimensions.some((other) => other.name === likely) ? { ...one, field: likely } : one;
  const base: Definition = {
    ...BLANK,
    kind: kind ?? "",
    event: likely,
    span: span ?? (groups.some((one) => one.by) ? "this year" : "this month"),
    rows: groups.slice(0, 1).map(timed),
    columns: groups[1] ? timed(groups[1]) : null,
    measures: measure,
    draw: groups[0]?.by === "month" || groups[0]?.by === "week" || groups[0]?.by === "day" ? "bars and line" : "bars",
  };
  const found: Definition[] = [base];
  const [one, other] = base.rows.concat(base.columns ?? []);
  if (one && other) found.push({ ...base, rows: [one, other], columns: null });
  if (!event && likely !== "opened" && known.events.includes("opened")) found.push({ ...base, event: "opened" });
  if (!event && likely === "opened" && known.events.includes("resolved")) found.push({ ...base, event: "resolved" });
  if (first?.ways.some((one_) => one_.key === "sum")) {
    found.push({ ...base, rows: [{ field: first.key, by: BAND }], columns: null, measures: BLANK.measures, draw: "bars" });
  }
  if (base.rows.length === 0) found.push({ ...base, rows: [{ field: "team" }] });
  const fit = found.map((one_) => ofKind(one_, one_.kind, words, []));
  const told = fit.map((definition) => ({ definition, says: says(definition, words) }));
  return told.filter((one_, at) => told.findIndex((same) => same.says === one_.says) === at).slice(0, 4);
}

/** Times to resolve are of what was resolved, and a satisfaction of what was closed. */
function needsEnd(value: string | null, events: readonly string[]): string | null {
  if (value === null || value === "age") return null;
  return ["resolved", "done", "decided", "ended", "answered"].find((one) => events.includes(one)) ?? null;
}

/** A report as one reads it. */
function says(definition: Definition, words: Words): string {
  const known = wordsOf(words, definition.kind);
  const kind = words.kinds.find((one) => one.key === definition.kind)?.name ?? "all tickets";
  const by = (one: Dimension) => {
    if (one.by === BAND) return `bands of ${known.values.find((value) => value.key === one.field)?.label ?? one.field}`;
    const label = known.dimensions.find((other) => other.name === one.field)?.label ?? one.field;
    return one.by ? `${one.by} ${label}` : label;
  };
  const figures = definition.measures.map(
    (one) => known.values.find((value) => value.key === one.of)?.ways.find((way) => way.key === one.way)?.label ?? one.of,
  );
  const groups = [...definition.rows, ...(definition.columns ? [definition.columns] : [])].map(by);
  const isTimeless = definition.event === OPEN_NOW || definition.event === "of all time";
  const span = isTimeless
    ? ""
    : ` ${typeof definition.span === "string" ? definition.span : `from ${definition.span.from} to ${definition.span.to}`}`;
  const ends = definition.event === OPEN_AT_END ? "" : `: ${figures.join(", ")}`;
  return `${kind.slice(0, 1).toUpperCase()}${kind.slice(1)} ${definition.event}${span}${groups.length > 0 ? ` by ${groups.join(" and ")}` : ""}${ends}`;
}
