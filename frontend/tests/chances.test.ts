import { describe, expect, it } from "vitest";
import { inTen } from "../src/parts/text";

describe("a chance as people say it", () => {
  it.each([
    [0, "less than 1 in 10"],
    [0.049, "less than 1 in 10"],
    [0.06, "1 in 10"],
    [0.34, "3 in 10"],
    [0.35, "4 in 10"],
    [0.7, "7 in 10"],
    [0.949, "9 in 10"],
    [0.95, "more than 9 in 10"],
    [1, "more than 9 in 10"],
  ])("%f is %s", (chance, words) => expect(inTen(chance)).toBe(words));

  it("is never certain of anything", () => {
    for (let chance = 0; chance <= 1; chance += 0.01) expect(inTen(chance)).not.toMatch(/\b(0|10) in 10$/);
  });
});
