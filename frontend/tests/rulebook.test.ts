import { describe, expect, it } from "vitest";
import { hasHalfMade, keyFrom, openEntry, readSpan, same, spanWords } from "../src/screens/rulebook/edits";

describe("an edit", () => {
  it("is none when only the order of keys differs", () => {
    expect(same({ a: 1, b: [{ c: 2, d: 3 }] }, { b: [{ d: 3, c: 2 }], a: 1 })).toBe(true);
    expect(same({ a: [1, 2] }, { a: [2, 1] })).toBe(false);
    expect(same({ a: 1 }, { a: 1, b: undefined })).toBe(true);
    expect(same({ a: null }, {})).toBe(false);
  });
  it("waits while a condition in it is only begun, however deep", () => {
    const begun = { field: "service", op: "is", value: "" };
    expect(hasHalfMade({ name: "x", if: { all: [{ any: [begun] }] } })).toBe(true);
    expect(hasHalfMade({ name: "", if: { all: [{ ...begun, value: "Gates" }] } })).toBe(false);
    expect(hasHalfMade({ fields: [{ field: "place", label: "" }] })).toBe(false);
  });
});

describe("an entry", () => {
  const all = [
    { key: "one", name: "One" },
    { key: "two", name: "Two" },
  ];
  it("is the one that the address names, the first when it names none", () => {
    expect(openEntry(all, null)?.key).toBe("one");
    expect(openEntry(all, "two")?.name).toBe("Two");
    expect(openEntry(all, "on its way")).toBeUndefined();
  });
  it.each([
    ["Summer on the islands", [], "summer-on-the-islands"],
    ["  Été à l’Île!  ", [], "ete-a-l-ile"],
    ["", [], "new"],
    ["Gates", ["gates", "gates-2"], "gates-3"],
    ["x".repeat(80), [], "x".repeat(40)],
  ])("called %j gets a key of its own", (name, taken, key) => expect(keyFrom(name, taken)).toBe(key));
});

describe("a span of time", () => {
  it.each([
    ["2 h", 7200],
    ["90 min", 5400],
    ["90", 5400],
    ["1 h 30", 5400],
    ["1,5 h", 5400],
    ["3 days", 259_200],
    ["45 s", 45],
    ["soon", null],
    ["", null],
    ["-2 h", null],
  ])("%j is read as %s seconds", (text, seconds) => expect(readSpan(text)).toBe(seconds));
  it("is read back as it was said", () => {
    for (const seconds of [45, 60, 5400, 7200, 9000, 36_000]) expect(readSpan(spanWords(seconds))).toBe(seconds);
  });
});
