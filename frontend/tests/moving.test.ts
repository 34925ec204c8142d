import { beforeEach, describe, expect, it } from "vitest";
import { localInput, setZone } from "../src/parts/time";
import { moved, stepOf } from "../src/screens/changes/moving";

const at = (text: string) => Date.parse(text) / 1000;
const NIGHT = { starts: at("2026-12-03T01:30Z"), ends: at("2026-12-03T04:15Z") };

describe("moving a change on the schedule", () => {
  beforeEach(() => setZone("Europe/London"));

  it.each([
    ["move", 900 * 5 + 300, 900, "2026-12-03T02:45", "2026-12-03T05:30"],
    ["move", -900 * 2 - 449, 900, "2026-12-03T01:00", "2026-12-03T03:45"],
    ["move", 200, 900, "2026-12-03T01:30", "2026-12-03T04:15"],
    ["stretch", 3600, 3600, "2026-12-03T01:30", "2026-12-03T05:15"],
    ["stretch", -86_400, 900, "2026-12-03T01:30", "2026-12-03T01:45"],
    ["move", 86_400 * 2.4, 86_400, "2026-12-05T01:30", "2026-12-05T04:15"],
  ] as const)("%s by %d on a grid of %d", (grip, by, step, starts, ends) => {
    const found = moved(NIGHT, grip, by, step);
    expect([localInput(found.starts), localInput(found.ends)]).toEqual([starts, ends]);
  });

  it("keeps the time on the wall when days are moved across a change of the clocks", () => {
    const before = { starts: at("2026-03-28T01:30Z"), ends: at("2026-03-28T04:30Z") };
    const found = moved(before, "move", 86_400 * 2, 86_400);
    expect([localInput(found.starts), localInput(found.ends)]).toEqual(["2026-03-30T01:30", "2026-03-30T04:30"]);
    expect(found.starts - before.starts).toBe(86_400 * 2 - 3600);
  });

  it("never ends before it begins", () => {
    for (const step of [900, 3600, 86_400])
      for (let by = -10; by <= 10; by++) {
        const found = moved(NIGHT, "stretch", by * step, step);
        expect(found.ends).toBeGreaterThan(found.starts);
        expect(found.starts).toBe(NIGHT.starts);
      }
  });

  it("moves there and back to where it was", () => {
    for (const step of [900, 3600, 86_400]) {
      const there = moved(NIGHT, "move", step * 7, step);
      expect(moved(there, "move", -step * 7, step)).toEqual(NIGHT);
    }
  });

  it("steps by what can be seen", () => {
    expect((["day", "week", "fortnight", "month", "quarter"] as const).map(stepOf)).toEqual([900, 900, 3600, 86_400, 86_400]);
  });
});
