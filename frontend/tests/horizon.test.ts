import { beforeAll, describe, expect, it } from "vitest";
import { closedParts, ground, isBeyond, nowAt, place, ticks } from "../src/parts/horizon";
import { DAY, HOUR, MINUTE, setZone } from "../src/parts/time";

const NOW = Date.UTC(2026, 10, 23, 9, 0) / 1000;
beforeAll(() => setZone("UTC"));

describe("where an instant stands on the horizon", () => {
  it("is left of now when it is late, right of it when it is to come", () => {
    expect(place(NOW, NOW)).toBeCloseTo(nowAt);
    expect(place(NOW - 1, NOW)).toBeLessThan(nowAt);
    expect(place(NOW + 1, NOW)).toBeGreaterThan(nowAt);
  });

  it("never runs backwards and never leaves the axis", () => {
    let last = -1;
    for (let at = NOW - 30 * DAY; at <= NOW + 30 * DAY; at += 17 * MINUTE) {
      const here = place(at, NOW);
      expect(here).toBeGreaterThanOrEqual(last);
      expect(here).toBeGreaterThan(0);
      expect(here).toBeLessThan(1);
      last = here;
    }
  });

  it("is to scale for four hours", () => {
    const hour = place(NOW + HOUR, NOW) - place(NOW, NOW);
    for (const hours of [2, 3, 4]) expect(place(NOW + hours * HOUR, NOW) - place(NOW, NOW)).toBeCloseTo(hours * hour);
    expect(place(NOW + 5 * HOUR, NOW) - place(NOW + 4 * HOUR, NOW)).toBeLessThan(hour);
  });
});

describe("its ticks", () => {
  it.each([240, 300, 520, 900])("can be read at %i pixels", (width) => {
    const shown = ticks(NOW, width);
    for (const [index, tick] of shown.entries()) {
      const before = shown[index - 1];
      if (before) expect(tick.x - before.x).toBeGreaterThan((tick.label.length + before.label.length) * 3.6);
      expect(tick.x + tick.label.length * 3.6).toBeLessThanOrEqual(width);
      expect(place(tick.at, NOW) * width).toBeCloseTo(tick.x);
    }
  });
  it("put a day at its midnight, also when the clocks change", () => {
    const london = new Intl.DateTimeFormat("en-GB", { timeZone: "Europe/London", hour: "2-digit", minute: "2-digit", weekday: "short" });
    setZone("Europe/London");
    for (const now of [NOW, Date.UTC(2026, 9, 23, 20, 0) / 1000]) {
      const days = ticks(now, 1400).filter((tick) => !tick.label.endsWith(" h"));
      expect(days.length).toBeGreaterThan(3);
      for (const tick of days) {
        expect(london.format(tick.at * 1000)).toContain("00:00");
        if (tick.label !== "tomorrow") expect(london.format(tick.at * 1000)).toContain(tick.label);
      }
    }
    setZone("UTC");
  });
  it("say of what they cannot show that it lies beyond", () => {
    expect(isBeyond(NOW + 8 * DAY, NOW)).toBe(true);
    expect(isBeyond(NOW - 4 * DAY, NOW)).toBe(true);
    expect(isBeyond(NOW + 6 * DAY, NOW) || isBeyond(NOW - 2 * DAY, NOW)).toBe(false);
  });
  it("has more room for more", () => {
    expect(ticks(NOW, 900).length).toBeGreaterThan(ticks(NOW, 240).length);
    expect(ticks(NOW, 900).map((tick) => tick.label)).toContain("tomorrow");
  });
});

describe("closed hours", () => {
  const spans = [
    [NOW - 2 * HOUR, NOW + 8 * HOUR],
    [NOW + 22 * HOUR, NOW + 32 * HOUR],
  ];
  it("are what lies between the open ones", () => {
    const parts = closedParts(spans, NOW);
    expect(parts[0]?.[0]).toBeCloseTo(place(NOW + 8 * HOUR, NOW));
    expect(parts[0]?.[1]).toBeCloseTo(place(NOW + 22 * HOUR, NOW));
    expect(parts[1]?.[1]).toBeCloseTo(place(NOW + 7 * DAY, NOW));
  });
  it("begin now when it is closed now, and are everything when nothing is open", () => {
    expect(closedParts([[NOW + HOUR, NOW + 200 * HOUR]], NOW)).toEqual([[nowAt, place(NOW + HOUR, NOW)]]);
    expect(closedParts([], NOW)).toHaveLength(1);
    expect(closedParts([[NOW - DAY, NOW + 8 * DAY]], NOW)).toEqual([]);
  });
  it("are drawn as one picture, or none", () => {
    expect(ground([], [])).toBe("none");
    expect(ground(ticks(NOW, 300), closedParts(spans, NOW)).match(/linear-gradient/g)).toHaveLength(2);
  });
});
