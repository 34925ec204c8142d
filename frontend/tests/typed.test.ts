import { beforeAll, describe, expect, it } from "vitest";
import { instantOfLocal, setZone } from "../src/parts/time";
import { readersOrder, readTime } from "../src/parts/typedTime";

let now = 0;
beforeAll(() => {
  setZone("Europe/London");
  now = instantOfLocal("2026-11-25T10:30"); // a Wednesday
});

describe("times as people type them", () => {
  it.each([
    ["tomorrow 9", "2026-11-26T09:00"],
    ["Tomorrow 14:30", "2026-11-26T14:30"],
    ["tomorrow", "2026-11-26T09:00"],
    ["today 17", "2026-11-25T17:00"],
    ["in 2 h", "2026-11-25T12:30"],
    ["in 1 h 30", "2026-11-25T12:00"],
    ["in 45 min", "2026-11-25T11:15"],
    ["in 3 days", "2026-11-28T10:30"],
    ["in 2 weeks", "2026-12-09T10:30"],
    ["in 1.5 hours", "2026-11-25T12:00"],
    ["Fri 14:00", "2026-11-27T14:00"],
    ["friday", "2026-11-27T09:00"],
    ["on Friday at 8", "2026-11-27T08:00"],
    ["Wed 11:00", "2026-11-25T11:00"],
    ["Wed 9:00", "2026-12-02T09:00"],
    ["next wed 11", "2026-12-02T11:00"],
    ["25 Nov", "2026-11-25T09:00"],
    ["24 Nov 9:30", "2027-11-24T09:30"],
    ["3rd december 2026 18:00", "2026-12-03T18:00"],
    ["Dec 3", "2026-12-03T09:00"],
    ["9", "2026-11-26T09:00"],
    ["11", "2026-11-25T11:00"],
    ["2pm", "2026-11-25T14:00"],
    ["noon", "2026-11-25T12:00"],
    ["2026-12-24 16:00", "2026-12-24T16:00"],
    ["2026-12-24T16:00", "2026-12-24T16:00"],
    ["24.12. 16:00", "2026-12-24T16:00"],
    ["now", "2026-11-25T10:30"],
    ["", ""],
  ])("%s", (typed, at) => {
    expect(readTime(typed, now, "day first")).toEqual({ at });
  });

  it("a day in figures is read in the reader's order", () => {
    expect(readTime("3/4 9:00", now, "day first")).toEqual({ at: "2027-04-03T09:00" });
    expect(readTime("3/4 9:00", now, "month first")).toEqual({ at: "2027-03-04T09:00" });
    expect([readersOrder("en-GB"), readersOrder("en-US"), readersOrder("pt-PT")]).toEqual(["day first", "month first", "day first"]);
  });

  it.each(["soon", "32 Nov", "29/2/2027", "Fri 25:00", "in a while", "tomorrow 9:75", "13pm", "in 0 h", "2026-02-30", "x 9"])(
    "%s is refused in words",
    (typed) => {
      const found = readTime(typed, now, "day first");
      expect(found).toHaveProperty("problem", expect.stringContaining(typed));
    },
  );

  it("a span counts real hours over the night when the clocks change", () => {
    const before = instantOfLocal("2026-10-24T20:00");
    expect(readTime("in 12 h", before)).toEqual({ at: "2026-10-25T07:00" });
    expect(readTime("tomorrow 9", before)).toEqual({ at: "2026-10-25T09:00" });
  });
});
