import { describe, expect, it } from "vitest";
import { soundsBroken } from "../src/screens/portal/soundsBroken";

describe("words that say something is broken", () => {
  it.each([
    "the gate will not read tickets",
    "printer jams",
    "my laptop is broken",
    "Can't open mail",
    "Wi-Fi drops all the time",
    "no signal on the ship",
    "the till does not print",
    "Screen shows something wrong",
    "locked out of the crew roster",
    "payroll stopped working",
    "it is slow",
    "error 42 when booking",
  ])("%s", (words) => expect(soundsBroken(words)).toBe(true));

  it.each([
    "new laptop",
    "I need a phone",
    "access to payroll",
    "a download of the roster program",
    "I do not have a laptop",
    "second screen for my desk",
    "downstairs door badge",
    "",
  ])("not: %s", (words) => expect(soundsBroken(words)).toBe(false));
});
