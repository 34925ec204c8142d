import { describe, expect, it } from "vitest";
import { gapsOf, turnWords, widthOf } from "../src/screens/working/rotas";

type Turn = Parameters<typeof turnWords>[0];
const turn = (person: string, why: Turn["why"], from_s: number, to_s: number, whose = ""): Turn => ({ person, why, from_s, to_s, whose });
const TURNS = [
  turn("", "not begun", 0, 100),
  turn("Ada Loft", "rota", 100, 400),
  turn("", "away", 400, 500, "Ben Quay"),
  turn("Cem Reef", "instead", 500, 1000),
];

describe("a rota as it is shown", () => {
  it.each([
    [0, "the rota has not begun"],
    [1, "Ada Loft"],
    [2, "Ben Quay is away"],
    [3, "Cem Reef, standing in"],
  ])("turn %i: %s", (index, words) => {
    const one = TURNS[index];
    expect(one && turnWords(one)).toBe(words);
  });

  it("says that an empty rota has nobody", () => {
    expect(turnWords(turn("", "nobody", 0, 1))).toBe("nobody is in the rota");
  });

  it("has as gaps what nobody has once it has begun", () => {
    expect(gapsOf(TURNS).map((one) => one.whose)).toEqual(["Ben Quay"]);
    expect(gapsOf([turn("", "nobody", 0, 9)])).toHaveLength(1);
  });

  it("draws the turns as wide as they are long, all of them together whole", () => {
    const widths = TURNS.map((one) => widthOf(one, TURNS));
    expect(widths).toEqual([10, 30, 10, 50]);
    expect(widthOf(turn("", "rota", 5, 5), [turn("", "rota", 5, 5)])).toBe(0);
  });
});
