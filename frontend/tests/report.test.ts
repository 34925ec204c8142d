import { describe, expect, it } from "vitest";
import type { FieldAbout } from "../src/api/client";
import { short } from "../src/screens/reports/labels";
import {
  besides,
  BLANK,
  changeWords,
  type Definition,
  fitting,
  isSpanless,
  isTimeline,
  ofKind,
  OPEN_AT_END,
  OPEN_NOW,
  readDefinition,
  reportOn,
  said,
  scaleOf,
  scalesOf,
  type Shown,
  spanWords,
  type Words,
  wordsOf,
} from "../src/screens/reports/report";

const dimension = (name: string, is_time = false) => ({ name, label: name, is_time, is_custom: false });
const value = (key: string) => ({ key, label: key, unit: "number", about: "", ways: [] });
const asking = (name: string) => ({ name }) as FieldAbout;
const OF_TICKETS = ["team", "priority"].map(asking);
const WORDS = {
  kinds: [
    { key: "incident", name: "incidents" },
    {
      key: "task",
      name: "tasks",
      own: {
        events: ["made", "done", "open now", OPEN_AT_END],
        dimensions: [dimension("task.team"), dimension("made", true)],
        values: [value("records"), value("planned")],
        conditions: [asking("task.state")],
        on_ticket: true,
      },
    },
    {
      key: "item",
      name: "items",
      own: {
        events: ["of all time"],
        dimensions: [dimension("item.kind")],
        values: [value("records")],
        conditions: [asking("item.kind")],
        on_ticket: false,
      },
    },
  ],
  events: ["opened", "closed"],
  dimensions: [dimension("team"), dimension("opened", true)],
  values: [value("records"), value("age")],
} as unknown as Words;

const line = (label: string, total: (number | null)[], cells: (number | null)[][] = []) => ({
  path: [{ key: label, label }],
  cells,
  total,
});
const table = (rows: ReturnType<typeof line>[], total: (number | null)[]) => ({ columns: [], rows, totals: [], total, gathered: 0 });
const shown = (units: string[], rows: ReturnType<typeof line>[], before: ReturnType<typeof line>[] | null = null): Shown =>
  ({
    measures: units.map((unit) => ({ of: "x", way: "mean", label: unit, unit, about: "" })),
    table: table(rows, []),
    before: before ? table(before, []) : null,
  }) as unknown as Shown;

describe("figures", () => {
  it.each([
    ["seconds", 3 * 86_400, 100_000, "1.2"],
    ["seconds", 7200, 5400, "1.5"],
    ["seconds", 600, 90, "2"],
    ["minutes", 900, 630, "11"],
    ["minutes", 90, 45, "45"],
    ["percent", 100, 87.06, "87.1"],
    ["pence", 5000, 1234, "12.34"],
    ["pence", 500_000, 123_400, "1,234"],
    ["number", 5, 4, "4"],
    ["number", 5, 4.25, "4.3"],
    ["number", 4000, 1234, "1,234"],
    ["number", 4000, null, ""],
  ])("of %s, the greatest %d: %s is %s", (unit, most, value, text) => {
    expect(said(value, scaleOf(unit, most))).toBe(text);
  });

  it("are all of one column in one unit, those before too", () => {
    const found = scalesOf(shown(["seconds", "number"], [line("a", [60, 3])], [line("a", [10 * 86_400, 1])]));
    expect(found.map((one) => one.unit)).toEqual(["days", ""]);
  });

  it.each([
    [10, 8, "number", "25 % more"],
    [6, 8, "number", "25 % fewer"],
    [6, 8, "seconds", "25 % less"],
    [8, 8, "number", "as before"],
    [8, 0, "number", "none before"],
    [0, 0, "number", "as before"],
    [92.5, 90, "percent", "2.5 points more"],
    [90, 90.04, "percent", "as before"],
    [null, 4, "number", ""],
    [4, null, "number", ""],
  ])("%s after %s of %s is %s", (value, before, unit, words) => {
    expect(changeWords(value, before, unit)).toBe(words);
  });
});

describe("what stands beside a row", () => {
  it("is the piece of time at the same place, and otherwise the row of the same key", () => {
    const found = shown(["number"], [line("October", [4]), line("November", [5])], [line("July", [1]), line("August", [2])]);
    expect(besides(found, found.table.rows[1]!, true)?.path[0]?.label).toBe("August");
    expect(besides(found, found.table.rows[1]!, false)).toBeUndefined();
    const teams = shown(["number"], [line("Quay", [4]), line("Desk", [5])], [line("Desk", [2])]);
    expect(besides(teams, teams.table.rows[1]!, false)?.total).toEqual([2]);
    expect(besides(teams, teams.table.rows[0]!, false)).toBeUndefined();
  });
});

describe("a definition", () => {
  it.each(["", "{", "7", "null", '{"event":"opened"}', '{"rows":[],"measures":{}}'])("is not read from %s", (text) => {
    expect(readDefinition(text)).toBeNull();
  });

  it("is read from an address with what it leaves out as it begins", () => {
    const said_ = { ...BLANK, event: "closed", rows: [], measures: [] };
    expect(readDefinition(JSON.stringify({ event: "closed", rows: [], measures: [] }))).toEqual(said_);
  });

  it("stays possible when it asks for what was open at the end of each", () => {
    const next = fitting(
      {
        ...BLANK,
        event: OPEN_AT_END,
        columns: { field: "closed", by: "month" },
        measures: [{ of: "age", way: "mean" }],
      },
      WORDS,
    );
    expect(next.rows).toEqual([{ field: "opened", by: "week" }]);
    expect(next.columns).toBeNull();
    expect(next.measures).toEqual([{ of: "records", way: "count" }]);
    const kept: Definition = { ...BLANK, event: OPEN_AT_END, rows: [{ field: "opened", by: "month" }], columns: { field: "team" } };
    expect(fitting(kept, WORDS).rows).toEqual(kept.rows);
    expect(fitting(kept, WORDS).columns).toEqual({ field: "team" });
  });

  it("on another kind of record keeps what that has too, and leaves out the rest", () => {
    const said_: Definition = {
      ...BLANK,
      rows: [{ field: "team" }],
      columns: { field: "opened", by: "month" },
      measures: [{ of: "age", way: "mean" }],
      where: { all: [{ field: "priority", op: "is", value: "P1" }] },
    };
    const onTasks = ofKind(said_, "task", WORDS, OF_TICKETS);
    expect(onTasks).toMatchObject({ kind: "task", event: "made", rows: [{ field: "team" }], measures: BLANK.measures, where: said_.where });
    expect(onTasks.columns).toEqual(said_.columns);
    const onItems = ofKind(said_, "item", WORDS, OF_TICKETS);
    expect(onItems).toMatchObject({ event: "of all time", rows: [{ field: "item.kind" }], columns: null, where: null, against: "" });
    expect(ofKind({ ...onItems, rows: [] }, "task", WORDS, OF_TICKETS).rows).toEqual([]);
  });

  it("asks of tasks that were open at the end of each by when they were made", () => {
    const next = fitting({ ...BLANK, kind: "task", event: OPEN_AT_END }, WORDS);
    expect(next.rows).toEqual([{ field: "made", by: "week" }]);
  });

  it("offers of a kind its own words, and those of its ticket where it has one", () => {
    expect(wordsOf(WORDS, "task").dimensions.map((one) => one.name)).toEqual(["task.team", "made", "team", "opened"]);
    expect(wordsOf(WORDS, "item").dimensions.map((one) => one.name)).toEqual(["item.kind"]);
    expect(wordsOf(WORDS, "incident").events).toEqual(["opened", "closed"]);
  });

  it("on a list counts its records of all time, whatever their kind", () => {
    const where = { field: "team", op: "is", value: "Ship Systems" };
    const address = reportOn(where);
    const found = readDefinition(new URLSearchParams(address.split("?")[1]).get("as"));
    expect(found).toMatchObject({ kind: "", event: "of all time", where });
    expect(isSpanless(found ?? BLANK)).toBe(true);
  });

  it("holds what is open now against nothing", () => {
    expect(fitting({ ...BLANK, event: OPEN_NOW, against: "the period before" }, WORDS).against).toBe("");
  });

  it.each([
    [{ field: "opened", by: "month" }, true],
    [{ field: "opened", by: "weekday" }, false],
    [{ field: "team" }, false],
    [{ field: "team", by: "" }, false],
  ])("%j is a timeline: %s", (row, is) => {
    expect(isTimeline({ ...BLANK, rows: [row] })).toBe(is);
  });
});

describe("labels", () => {
  it.each([
    ["November 2026", "month", "Nov 26"],
    ["week 48, 23 Nov 2026", "week", "w. 48"],
    ["Wednesday", "weekday", "Wed"],
    ["Mon 23 Nov", "day", "23 Nov"],
    ["Q4 2026", "quarter", "Q4 2026"],
    ["1 day to 2 days", "band", "1 day"],
    ["under 5 min", "band", "under 5 min"],
    ["Replacement of everything on every ship", "", "Replacement of everything…"],
  ])("%s of a %s is %s", (label, by, text) => {
    expect(short(label, by)).toBe(text);
  });

  it("of a span say its days", () => {
    expect(spanWords("this month")).toBe("this month");
    expect(spanWords({ from: "2026-03-01", to: "2026-03-31" })).toBe("from 1 March 2026 to 31 March 2026");
    expect(spanWords({ from: "nonsense", to: "2026-03-31" })).toBe("from nonsense to 31 March 2026");
  });
});
