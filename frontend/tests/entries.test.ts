import { describe, expect, it } from "vitest";
import { listed as grouped } from "../src/screens/rulebook/entries";

interface Item {
  key: string;
  name: string;
  group?: string;
  words?: string;
  plain?: string;
}

const byName = {
  nameOf: (one: Item) => one.name,
  groupOf: (one: Item) => one.group ?? "",
  wordsOf: (one: Item) => `${one.plain ?? ""} ${one.words ?? ""}`,
  sortOf: (one: Item) => one.name,
};
const listed = (all: Item[], words: string) => grouped(all, words, byName);

const items: Item[] = [
  { key: "b", name: "Mobile 10", group: "Phones", words: "handset" },
  { key: "a", name: "Mobile 9", group: "Phones" },
  { key: "c", name: "Café till", group: "Counter", plain: "Sell coffee" },
  { key: "d", name: "Badge" },
];

describe("a section's entries", () => {
  it("stand by group and name, numbers by their size", () => {
    expect(listed(items, "").map((group) => [group.name, group.entries.map((one) => one.key)])).toEqual([
      ["Counter", ["c"]],
      ["Phones", ["a", "b"]],
      ["", ["d"]],
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

  it("keep the order they have where it means something", () => {
    const { sortOf: _, ...inOrder } = byName;
    expect(grouped(items, "", inOrder).map((group) => group.entries.map((one) => one.key))).toEqual([["b", "a"], ["c"], ["d"]]);
  });

  it("are turned around, names deciding between equals", () => {
    const found = grouped(items, "", { nameOf: byName.nameOf, sortOf: (one) => one.group ?? "", isDown: true });
    expect(found.flatMap((group) => group.entries.map((one) => one.key))).toEqual(["a", "b", "c", "d"]);
  });

  it("finds one among three hundred", () => {
    const many = Array.from({ length: 300 }, (_, n) => ({ key: `k${n}`, name: `Item ${n}`, group: `Group ${n % 7}` }));
    expect(listed(many, "item 217").flatMap((group) => group.entries)).toHaveLength(1);
    expect(listed(many, "")).toHaveLength(7);
  });
});
