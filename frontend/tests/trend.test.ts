import { describe, expect, it } from "vitest";
import { BLANK, type Shown } from "../src/screens/reports/report";
import { runsOf, trendsOf } from "../src/screens/reports/trend";
import { cutAt, fieldText, functionText, inserted, needsCalendar } from "../src/screens/rulebook/expression";

function shown(values: (number | null)[]): Shown {
  const rows = values.map((value, index) => ({ path: [{ key: `w${index}`, label: `week ${index}` }], cells: [], total: [value] }));
  return { measures: [{}], table: { rows } } as unknown as Shown;
}
const weekly = { ...BLANK, rows: [{ field: "opened", by: "week" }] };

describe("the trend of a figure", () => {
  it("is drawn over time alone", () => {
    expect(trendsOf(shown([1, 2]), { ...BLANK, rows: [{ field: "team" }] })).toEqual([null]);
    expect(trendsOf(shown([1, 2]), { ...BLANK, rows: [{ field: "opened", by: "weekday" }] })).toEqual([null]);
    expect(trendsOf(shown([1]), weekly)).toEqual([null]);
    expect(trendsOf(shown([1, 2]), weekly)[0]?.map((one) => one.value)).toEqual([1, 2]);
  });

  it("ends where what is known ends, and keeps a gap within", () => {
    const [points] = trendsOf(shown([3, null, 4, 5, null, null]), weekly);
    expect(points?.map((one) => one.value)).toEqual([3, null, 4, 5]);
    expect(runsOf(points ?? []).map((run) => run.map((one) => one.index))).toEqual([[0], [2, 3]]);
  });
});

describe("writing an expression", () => {
  it("puts a piece where one stands, with blanks around it", () => {
    expect(inserted("minutes", 7, 7, "+")).toEqual({ text: "minutes +", at: 9 });
    expect(inserted("(minutes)", 1, 1, "2")).toEqual({ text: "(2 minutes)", at: 2 });
    expect(inserted("a b", 2, 3, "[c d]")).toEqual({ text: "a [c d]", at: 7 });
    const made = inserted("", 0, 0, functionText("days between"));
    expect(made.text.slice(0, made.at)).toBe("days between(");
  });

  it.each([
    ["opened", "opened"],
    ["ci.kind", "ci.kind"],
    ["first answer", "[first answer]"],
    ["hand-overs", "[hand-overs]"],
    ["now", "[now]"],
  ])("names the field %s as %s", (name, text) => expect(fieldText(name)).toBe(text));

  it.each([
    ["minutes + nix", 11, ["minutes + ", "nix", ""]],
    ["[no such] + 1", 1, ["", "[no such]", " + 1"]],
    ["1 + ", 99, ["1 + ", "", ""]],
    ["titel × 2", 7, ["titel ", "×", " 2"]],
  ])("cuts %s at %i", (text, at, cut) => expect(cutAt(text, at)).toEqual(cut));

  it("asks for a calendar where service hours are counted", () => {
    expect(needsCalendar("service  hours between(opened, now)")).toBe(true);
    expect(needsCalendar("hours between(opened, now)")).toBe(false);
  });
});
