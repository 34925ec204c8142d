import { afterEach, expect, it } from "vitest";
import { about, currencySign, money, setCurrency } from "../src/parts/money";

afterEach(() => setCurrency(""));

it.each([
  [0, "£0"],
  [120_00, "£120"],
  [12_50, "£12.50"],
  [1_234_567_00, "£1,234,567"],
  [1, "£0.01"],
])("%i pence are %s", (pence, words) => {
  setCurrency("£");
  expect(money(pence)).toBe(words);
});

it.each([
  [470_001, "£4,700"],
  [49, "£0"],
  [50, "£1"],
])("%i computed pence are about %s", (pence, words) => {
  setCurrency("£");
  expect(about(pence)).toBe(words);
});

it("is in the organisation's own currency, or in none that is not known", () => {
  expect(money(500)).toBe("5");
  setCurrency("kr ");
  expect([money(500), currencySign()]).toEqual(["kr 5", "kr "]);
});
