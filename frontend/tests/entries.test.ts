import { describe, expect, it } from "vitest";
import { listed } from "../src/screens/rulebook/entries";

const items = [
  { key: "b", name: "Mobile 10", group: "Phones", words: "handset" },
  { key: "a", name: "Mobile 9", group: "Phones" },
  { key: "c", name: "Café till", group: "Counter", plain: "Sell coffee" },
  { key: "d", name: "Badge" },
];

describe("a section's entries", () => {
  it("stand by group and name, numbers by their size", () => {
    expect(listed(items, "").map((group) => [group.name, group.entries.map((one) => one.key)])).toEqual([
      ["", ["d"]],
      ["Counter", ["c"]],
      ["Phones", ["a", "b"]],
    ]);
  });

  it.each([
    ["cafe", ["c"]],
    ["COFFEE sell", ["c"]],
    ["handset", ["b"]],
    ["phones mobile", ["a", "b"]],
    ["mobile till", []],
  ])("%s finds %j", (words, keys) => {
    expect(listed(items, words).flatMap((group) => group.entries.map((one) => one.key))).toEqual(keys);
  });

  it("finds one among three hundred", () => {
    const many = Array.from({ length: 300 }, (_, n) => ({ key: `k${n}`, name: `Item ${n}`, group: `Group ${n % 7}` }));
    expect(listed(many, "item 217").flatMap((group) => group.entries)).toHaveLength(1);
    expect(listed(many, "")).toHaveLength(7);
  });
});
