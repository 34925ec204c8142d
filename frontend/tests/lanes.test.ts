import { describe, expect, it } from "vitest";
import { setZone } from "../src/parts/time";
import { lanesOf, spanOf, ticksOf } from "../src/screens/changes/lanes";
import type { Planned } from "../src/screens/changes/lanes";

const DAY = 86_400;

function line(id: number, starts: number, ends: number, more: Partial<Planned> = {}): Planned {
  return {
    id,
    title: `Change ${id}`,
    state: "planned",
    is_open: true,
    type: "Normal",
    like: "normal",
    points: 4,
    rating: "low",
    starts_s: starts,
    ends_s: ends,
    began_s: null,
    ended_s: null,
    review_s: null,
    outcome: "",
    holder: "Joss",
    team: "Ship Systems",
    service: "Ship-to-shore link",
    place: "",
    items: 1,
    waits_on: "",
    incidents: 0,
    groups: [],
    steps: [],
    can_move: true,
    version: 1,
    ...more,
  };
}

describe("lanes of the schedule", () => {
  it("puts what overlaps where it is drawn beneath each other, and what does not on one row", () => {
    const [lane] = lanesOf([line(1, 0, 100), line(2, 50, 150), line(3, 5000, 5100)], "service", 0, 10_000);
    expect(lane?.rows).toBe(2);
    expect(lane?.bars.map((bar) => bar.row)).toEqual([0, 1, 0]);
  });

  it("leaves room for the number beside a short bar", () => {
    const [lane] = lanesOf([line(1, 0, 10), line(2, 300, 310)], "service", 0, 10_000);
    expect(lane?.rows).toBe(2);
  });

  it("has a lane for what has no service, and sorts lanes by name", () => {
    const lanes = lanesOf(
      [line(1, 0, 10, { service: "" }), line(2, 0, 10), line(3, 0, 10, { service: "Berth planner" })],
      "service",
      0,
      100,
    );
    expect(lanes.map((one) => one.name)).toEqual(["Berth planner", "no service", "Ship-to-shore link"]);
    expect(lanesOf([line(1, 0, 10, { holder: "" })], "holder", 0, 100)[0]?.name).toBe("nobody");
  });
});

describe("the span that is drawn", () => {
  it("begins on Monday, in local days, whatever the clocks do", () => {
    setZone("Europe/London");
    // Wednesday before the clocks go forward in 2027.
    const now = Date.UTC(2027, 2, 24, 15) / 1000;
    const [from, to] = spanOf("week", 0, now);
    expect(new Date(from * 1000).toISOString()).toBe("2027-03-22T00:00:00.000Z");
    expect(new Date(to * 1000).toISOString()).toBe("2027-03-28T23:00:00.000Z");
    expect(to - from).toBe(7 * DAY - 3600);
    const ticks = ticksOf("week", from, to);
    expect(ticks).toHaveLength(7);
    expect(ticks.map((tick) => tick.label.slice(0, 3))).toEqual(["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"]);
  });

  it("moves on by whole spans", () => {
    setZone("Europe/London");
    const now = Date.UTC(2026, 10, 25, 15) / 1000;
    const [, ends] = spanOf("fortnight", 0, now);
    const [begins] = spanOf("fortnight", 1, now);
    expect(begins).toBe(ends);
  });
});
