import { describe, expect, it } from "vitest";
import { groupOf, isComplete, isLeaf, partsOf, type Tree } from "../src/parts/condition/tree";
import { fromBody, isSame, readState, START, toBody, toCondition, writeState } from "../src/screens/queue/state";

const service: Tree = { field: "service", op: "is", value: "Boarding gates" };
const empty: Tree = { field: "holder", op: "is empty" };
const half: Tree = { field: "place", op: "is", value: "" };

describe("a sentence", () => {
  it.each([
    [{ field: "holder", op: "is me" }, true],
    [{ field: "place", op: "is", value: "" }, false],
    [{ field: "place", op: "is" }, false],
    [{ field: "place", op: "is", value: 0 }, true],
    [{ field: "place", op: "is", value: false }, true],
    [{ field: "team", op: "is one of", value: [] }, false],
    [{ field: "team", op: "is one of", value: ["a", ""] }, false],
    [{ field: "team", op: "is one of", value: ["a"] }, true],
  ])("%j counts: %s", (leaf, counts) => expect(isComplete(leaf)).toBe(counts));

  it("is taken apart and put together again as it was", () => {
    for (const tree of [service, { all: [service, empty] }, { any: [service, { all: [empty, half] }] }, { all: [] }] as Tree[]) {
      const { parts, joined } = partsOf(tree);
      expect(groupOf(parts, joined)).toEqual(tree);
    }
    expect(isLeaf(groupOf([service], "any"))).toBe(true);
  });
});

describe("what the server is asked", () => {
  const asked = (tree: Tree, words = "") => JSON.parse(toCondition({ tree, words })) as Tree;
  it("leaves out what is only begun", () => {
    expect(asked({ all: [service, half] })).toEqual({ all: [service] });
    expect(asked({ all: [service, { any: [half] }] })).toEqual({ all: [service] });
    expect(asked({ any: [half] })).toEqual({ all: [] });
  });
  it("holds the words beside the sentence, whatever joins it", () => {
    const words = { field: "words", op: "has words", value: "gate" };
    expect(asked({ all: [service] }, " gate ")).toEqual({ all: [service, words] });
    expect(asked({ any: [service, empty] }, "gate")).toEqual({ all: [{ any: [service, empty] }, words] });
    expect(asked({ not: service }, "gate")).toEqual({ all: [{ not: service }, words] });
  });
});

describe("a view in the address", () => {
  const views = [
    START,
    { ...START, words: "gate", sorts: [{ name: "opened", isDown: true }], group: "team" },
    { ...START, tree: { any: [service, empty] } as Tree, columns: ["service"], widths: { service: 210 }, form: "cards" as const },
  ];
  it("is read as it was written, and says only what differs", () => {
    for (const view of views) {
      const address = writeState(new URLSearchParams("view=7&log=1"), view, START);
      expect(readState(address, START)).toEqual(view);
      expect(address.get("view")).toBe("7");
    }
    expect(writeState(new URLSearchParams(), START, START).toString()).toBe("");
  });
  it("is kept and opened the same", () => {
    for (const view of views) expect(isSame(fromBody(toBody(view)), view)).toBe(true);
  });
  it("falls back to where it began when the link is torn", () => {
    expect(readState(new URLSearchParams('filter={"all":['), START)).toEqual(START);
  });
});
