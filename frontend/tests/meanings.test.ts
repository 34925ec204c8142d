import { describe, expect, it } from "vitest";
import { meanings } from "../src/screens/reports/meanings";
import type { Words } from "../src/screens/reports/report";

const AGGREGATES = ["mean", "median", "p90", "sum", "min", "max"];
const dimension = (name: string, is_time = false, label = name) => ({ name, label, is_time, is_custom: false });
const value = (key: string, label: string, ways: string[]) => ({
  key,
  label,
  unit: "number",
  about: "",
  ways: ways.map((way) => ({ key: way, label: way === "count" ? "count" : `${way} ${label}` })),
});
const WORDS = {
  kinds: [
    { key: "incident", name: "incidents" },
    { key: "request", name: "requests" },
    {
      key: "time",
      name: "logged times",
      own: { events: ["logged"], dimensions: [], values: [value("records", "records", ["count"])], conditions: [], on_ticket: true },
    },
    {
      key: "task",
      name: "tasks",
      own: {
        events: ["made", "done", "open now"],
        dimensions: [dimension("task.team", false, "task’s team"), dimension("made", true), dimension("done", true)],
        values: [value("records", "records", ["count"]), value("time taken", "time taken", AGGREGATES)],
        conditions: [],
        on_ticket: true,
      },
    },
  ],
  events: ["opened", "resolved", "closed", "open now", "open at the end of each", "of all time"],
  spans: ["this month", "last month", "this year", "last quarter"],
  bys: [],
  dimensions: [
    ...["team", "service", "category", "place", "priority", "resolver", "ci"].map((name) => dimension(name)),
    dimension("opened", true),
    dimension("resolved", true),
    dimension("closed", true),
  ],
  values: [
    value("records", "records", ["count"]),
    value("age", "age", AGGREGATES),
    value("resolution", "time to resolve", AGGREGATES),
    value("score", "satisfaction", AGGREGATES),
    value("resolution met", "resolution SLA met", ["share"]),
  ],
  against: [],
  drawn: [],
} as unknown as Words;
const first = (text: string) => meanings(text, WORDS)[0]?.definition;

describe("what words could mean as a report", () => {
  it.each([
    ["incidents closed last month by team", { kind: "incident", event: "closed", span: "last month", rows: [{ field: "team" }] }],
    [
      "How many requests were opened this year per month?",
      { kind: "request", event: "opened", span: "this year", rows: [{ field: "opened", by: "month" }] },
    ],
    ["open tickets by priority", { kind: "", event: "open now", rows: [{ field: "priority" }] }],
    ["backlog by service", { event: "open now", rows: [{ field: "service" }] }],
    [
      "average time to resolve by service",
      {
        event: "resolved",
        rows: [{ field: "service" }],
        measures: [
          { of: "resolution", way: "mean" },
          { of: "records", way: "count" },
        ],
      },
    ],
    [
      "longest time to resolve by place",
      {
        measures: [
          { of: "resolution", way: "max" },
          { of: "records", way: "count" },
        ],
      },
    ],
    [
      "SLA by team last quarter",
      {
        event: "resolved",
        span: "last quarter",
        measures: [
          { of: "resolution met", way: "share" },
          { of: "records", way: "count" },
        ],
      },
    ],
    [
      "how old is the backlog by team",
      {
        event: "open now",
        measures: [
          { of: "age", way: "mean" },
          { of: "records", way: "count" },
        ],
      },
    ],
    ["satisfaction by month resolved", { event: "resolved", rows: [{ field: "resolved", by: "month" }] }],
    ["a task done by team", { kind: "task", event: "done", rows: [{ field: "team" }] }],
    ["tasks done by task’s team", { kind: "task", event: "done", rows: [{ field: "task.team" }] }],
    ["faults by where", { kind: "incident", rows: [{ field: "place" }] }],
  ])("%s", (text, expected) => {
    expect(first(text)).toMatchObject(expected);
  });

  it("offers another reading, and says each as a sentence", () => {
    const found = meanings("incidents by team and month", WORDS);
    expect(found.length).toBeGreaterThan(1);
    expect(new Set(found.map((one) => one.says)).size).toBe(found.length);
    expect(found[0]?.says).toBe("Incidents opened this year by team and month opened: count");
    expect(found[0]?.definition.columns).toEqual({ field: "opened", by: "month" });
  });

  it.each(["", "   ", "zxqv", "(((", "[a-z]+", "how do you do"])("of nonsense (%s) says nothing", (text) => {
    expect(meanings(text, WORDS)).toEqual([]);
  });

  it("does not take a part of a word for a word", () => {
    expect(meanings("placement steamed", WORDS)).toEqual([]);
  });

  it("asks nothing that the report could not be asked", () => {
    for (const one of meanings("average satisfaction of tasks by ci", WORDS)) {
      expect(one.definition.measures.every((measure) => ["records", "time taken"].includes(measure.of))).toBe(true);
    }
  });
});
