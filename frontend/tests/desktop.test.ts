import { describe, expect, it } from "vitest";
import { newSince } from "../src/shell/desktop";

const rows = (...ids: number[]) => ids.map((id) => ({ id }));

describe("what is new for the desktop", () => {
  it("is nothing at the first look, whatever is there", () => {
    expect(newSince(null, rows(4, 9))).toEqual({ fresh: [], last: 9 });
  });
  it("is what came since", () => {
    expect(newSince(9, rows(11, 9, 10))).toEqual({ fresh: [11, 10], last: 11 });
  });
  it("comes once, also when rows go away in between", () => {
    expect(newSince(11, rows(9))).toEqual({ fresh: [], last: 11 });
    expect(newSince(11, [])).toEqual({ fresh: [], last: 11 });
    expect(newSince(null, [])).toEqual({ fresh: [], last: 0 });
  });
});
