import { describe, expect, it } from "vitest";
import { readAmount, readersPoint } from "../src/parts/amounts";

const money = { isMoney: true };

describe("amounts as people type them", () => {
  it.each([
    ["210.50", 210.5],
    ["210,50", 210.5],
    ["1,234.50", 1234.5],
    ["1.234,50", 1234.5],
    ["1 234,50", 1234.5],
    ["£ 12", 12],
    ["1,234,567", 1234567],
    ["0", 0],
    ["", null],
    ["   ", null],
  ])("%s is read as %s", (typed, amount) => {
    expect(readAmount(typed, money, ".")).toBe(amount);
    expect(readAmount(typed, money, ",")).toBe(amount);
  });

  it("what a comma means alone is the reader's to say", () => {
    expect(readAmount("1,234", money, ".")).toBe(1234);
    expect(readAmount("1.234", money, ",")).toBe(1234);
    expect(readAmount("1,234", money, ",")).toMatch(/two places/);
  });

  it.each(["abc", "12a", "1.2.3,4,5", "1,2,3", "--5", "1e5", "12,34,56", ".", "1.234.56,7"])(
    "%s is refused in words, never taken as nothing",
    (typed) => {
      expect(readAmount(typed, money, ".")).toEqual(expect.any(String));
      expect(readAmount(typed, money, ",")).toEqual(expect.any(String));
    },
  );

  it("a cost is not negative, a number may be", () => {
    expect(readAmount("-5", money, ".")).toMatch(/not negative/);
    expect(readAmount("-5", { isMoney: false }, ".")).toBe(-5);
    expect(readAmount("5", { isMoney: false, least: 6 }, ".")).toBe("At least 6.");
    expect(readAmount("7", { isMoney: false, most: 6 }, ".")).toBe("At most 6.");
  });

  it("the reader's language says which mark stands before the part", () => {
    expect(readersPoint("en-GB")).toBe(".");
    expect(readersPoint("pt-PT")).toBe(",");
    expect(readersPoint("de-DE")).toBe(",");
  });
});
