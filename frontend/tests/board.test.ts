import { describe, expect, it } from "vitest";
import {
  added,
  filterNote,
  listOf,
  MOST_IN_A_ROW,
  MOST_ROWS,
  movedTo,
  nameOfCopy,
  notNarrowed,
  readFilter,
  reportOf,
  UNFILTERED,
  writeFilter,
  type Part,
  removed,
  type Rows,
  stepped,
} from "../src/screens/reports/board";
import { fromFile } from "../src/screens/reports/boardFile";
import { BLANK } from "../src/screens/reports/report";

const part = (name: string): Part => ({ kind: "text", text: name, report: "", show: "", where: null });
const rows = (...names: string[]): Rows => names.map((row) => [...row].map(part));
const said = (found: Rows): string[] => found.map((row) => row.map((one) => one.text).join(""));

describe("parts of a dashboard", () => {
  it.each([
    [["ab", "c"], "left", 0, 1, ["ba", "c"]],
    [["ab", "c"], "left", 0, 0, ["ab", "c"]],
    [["ab", "c"], "right", 0, 0, ["ba", "c"]],
    [["ab", "c"], "right", 0, 1, ["ab", "c"]],
    [["ab", "c"], "down", 0, 0, ["b", "ca"]],
    [["ab", "c"], "up", 1, 0, ["abc"]],
    [["ab", "c"], "up", 0, 1, ["b", "a", "c"]],
    [["ab", "cd"], "down", 1, 0, ["ab", "d", "c"]],
    [["ab", "c"], "down", 1, 0, ["ab", "c"]],
    [["abcd", "e"], "up", 1, 0, ["abcd", "e"]],
    [["abcd", "ef"], "up", 1, 1, ["abcd", "f", "e"]],
  ] as const)("%j: %s from row %d, place %d", (given, way, row, at, expected) => {
    expect(said(stepped(rows(...given), { row, at }, way))).toEqual(expected);
  });

  it.each([
    [
      ["ab", "c"],
      [0, 0],
      [1, 0],
      ["b", "ac"],
    ],
    [
      ["ab", "c"],
      [0, 0],
      [1, 9],
      ["b", "ca"],
    ],
    [["ab", "c"], [1, 0], [0, 1], ["acb"]],
    [
      ["ab", "c"],
      [0, 0],
      [0, 2],
      ["ba", "c"],
    ],
    [
      ["ab", "c"],
      [0, 0],
      [2, 0],
      ["b", "c", "a"],
    ],
    [
      ["abcd", "e"],
      [1, 0],
      [0, 0],
      ["abcd", "e"],
    ],
    [["ab"], [4, 0], [0, 0], ["ab"]],
    [["ab"], [0, 1], [0, 1], ["ab"]],
  ] as const)("%j: dragged from %j to %j", (given, from, to, expected) => {
    expect(said(movedTo(rows(...given), { row: from[0], at: from[1] }, { row: to[0], at: to[1] }))).toEqual(expected);
  });

  it("never lose or double one, whatever is pressed", () => {
    let state = rows("ab", "cde", "f");
    const ways = ["left", "right", "up", "down"] as const;
    let seed = 7;
    const next = (most: number) => {
      seed = (seed * 48_271) % 2_147_483_647;
      return seed % most;
    };
    for (let step = 0; step < 600; step += 1) {
      const row = next(state.length);
      state = stepped(state, { row, at: next(state[row]!.length) }, ways[next(4)]!);
      expect(said(state).join("").split("").sort().join("")).toBe("abcdef");
      expect(state.length).toBeLessThanOrEqual(MOST_ROWS);
      expect(state.every((one) => one.length > 0 && one.length <= MOST_IN_A_ROW)).toBe(true);
    }
  });

  it("are added in a row of their own while there is room, then beside the last, then not at all", () => {
    let state: Rows = [];
    for (let index = 0; index < MOST_ROWS + MOST_IN_A_ROW + 3; index += 1) state = added(state, part(String(index)));
    expect(state.length).toBe(MOST_ROWS);
    expect(state.at(-1)?.length).toBe(MOST_IN_A_ROW);
  });

  it("leave no empty row behind", () => {
    expect(said(removed(rows("a", "bc"), { row: 0, at: 0 }))).toEqual(["bc"]);
    expect(said(removed(rows("a", "bc"), { row: 1, at: 5 }))).toEqual(["a", "bc"]);
  });
});

describe("a dashboard that is narrowed", () => {
  const leaf = { field: "team", op: "is", value: "Networks" };
  const where = { field: "priority", op: "is", value: "P1" };
  const halfMade = { all: [{ field: "service", op: "is", value: "" }] };
  const networks = { ...UNFILTERED, team: "Networks" };

  it("adds team and condition to each report’s own", () => {
    expect(reportOf(BLANK, UNFILTERED, true)).toEqual(BLANK);
    expect(reportOf(BLANK, networks, true).where).toEqual(leaf);
    expect(reportOf({ ...BLANK, where }, networks, true).where).toEqual({ all: [where, leaf] });
    expect(reportOf(BLANK, { ...networks, where }, true).where).toEqual({ all: [where, leaf] });
    expect(reportOf(BLANK, { ...UNFILTERED, where: halfMade }, true)).toEqual(BLANK);
  });

  it("leaves records that stand beside no ticket as they are, and says so", () => {
    const filter = { team: "Networks", where, span: "last month" };
    expect(reportOf(BLANK, filter, false).where).toBeUndefined();
    expect(notNarrowed("report", false, filter)).toBe("not narrowed");
    expect(notNarrowed("report", true, filter)).toBe("");
    expect(notNarrowed("schedule", true, filter)).toBe("not narrowed");
    expect(notNarrowed("outlook", true, networks)).toBe("");
    expect(notNarrowed("list", true, { ...UNFILTERED, span: "last month" })).toBe("not narrowed");
  });

  it("gives each report the span, but for what has none", () => {
    const filter = { ...UNFILTERED, span: "last month" };
    expect(reportOf(BLANK, filter, true).span).toBe("last month");
    expect(reportOf({ ...BLANK, event: "open now" }, filter, true).span).toBe("this month");
  });

  it("stands in its address and is read from there", () => {
    const filter = { team: "Networks", where, span: "last month" };
    expect(readFilter(new URLSearchParams(writeFilter(filter)))).toEqual(filter);
    expect(writeFilter(UNFILTERED)).toEqual({});
    expect(writeFilter({ ...UNFILTERED, where: { all: [] } })).toEqual({});
    for (const bad of ["{", "7", '"x"', "[]", '{"all":[1]}', '{"field":1}', "null"])
      expect(readFilter(new URLSearchParams({ where: bad })).where).toBeNull();
    expect(filterNote(filter)).toBe("Networks · narrowed · last month");
    expect(filterNote(UNFILTERED)).toBe("all teams");
  });
});

describe("a copy of a dashboard", () => {
  it.each([
    ["Harbour", [], "Harbour"],
    ["Harbour", ["Tills"], "Harbour"],
    ["Harbour", ["Harbour"], "Harbour 2"],
    ["Harbour", ["Harbour", "Harbour 2"], "Harbour 3"],
  ])("of %s beside %j is called %s", (name, known, expected) => expect(nameOfCopy(name, known)).toBe(expected));

  it("has a name that is not too long", () => {
    const long = "x".repeat(80);
    expect(nameOfCopy(long, [long]).length).toBeLessThanOrEqual(80);
  });
});

describe("a live list of a dashboard", () => {
  const open = { all: [{ field: "open", op: "is", value: true }] };
  const networks = { field: "team", op: "is", value: "Networks" };
  it.each([
    [open, "", open],
    [open, "Networks", { all: [open, networks] }],
    [null, "Networks", { all: [networks] }],
    [null, "", { all: [] }],
  ])("%j of “%s”", (where, team, expected) => expect(listOf(where, { ...UNFILTERED, team })).toEqual(expected));
});

describe("a dashboard from a file", () => {
  const file = (text: string, size = text.length) => ({ size, text: () => Promise.resolve(text) });
  it("has its name and its parts", async () => {
    const text = JSON.stringify({ format: "gannet dashboard", name: "Harbour", rows: rows("ab") });
    expect(await fromFile(file(text))).toEqual({ name: "Harbour", rows: rows("ab") });
  });
  it.each([
    ["{", "it is no JSON"],
    ["null", "no dashboard"],
    ["[]", "no dashboard"],
    ['{"format":"another","name":"x","rows":[]}', "no dashboard"],
    ['{"format":"gannet dashboard","name":1,"rows":[]}', "no dashboard"],
    ['{"format":"gannet dashboard","name":"x","rows":{}}', "no dashboard"],
  ])("%s is none", async (text, words) => {
    await expect(fromFile(file(text))).rejects.toThrow(words);
  });
  it("is not read when it is far too large", async () => {
    await expect(fromFile(file("{}", 5_000_000))).rejects.toThrow("too large");
  });
});
