import { beforeAll, describe, expect, it } from "vitest";
import { lifelineScale, lifelineTicks, midnights } from "../src/parts/lifelineScale";
import { DAY, HOUR, MINUTE, setZone } from "../src/parts/time";

const FROM = Date.UTC(2026, 10, 23, 6, 0) / 1000;
beforeAll(() => setZone("UTC"));

const scale = (age: number, ends: number[]) =>
  lifelineScale(
    FROM,
    FROM + age,
    ends.map((end) => FROM + age + end),
    150,
    1050,
  );

describe("a lifeline's axis", () => {
  it("puts different due times at different places", () => {
    // Four targets that all stood at one edge.
    const ends = [0.5 * HOUR, 1.5 * HOUR, 9.5 * HOUR, 11.5 * HOUR];
    const { x } = scale(20 * MINUTE, ends);
    const at = ends.map((end) => x(FROM + 20 * MINUTE + end));
    for (const [index, place] of at.entries()) if (index > 0) expect(place).toBeGreaterThan((at[index - 1] ?? 0) + 8);
  });

  it.each([
    ["an hour old, all due within the hour", HOUR, [20 * MINUTE, 50 * MINUTE], false],
    ["new, due in days", 2 * MINUTE, [4 * HOUR, 3 * DAY], true],
    ["a week old, due in a day", 7 * DAY, [DAY], false],
    ["closed, with nothing to come", 3 * HOUR, [], false],
  ] as const)("%s", (_, age, ends, isBroken) => {
    const { near, far, x } = scale(age, [...ends]);
    expect(far !== null).toBe(isBroken);
    // To scale on either part, and the second begins after the first.
    const half = (near.from + near.to) / 2;
    expect(x(half)).toBeCloseTo((near.left + near.right) / 2);
    if (far) {
      expect(x((far.from + far.to) / 2)).toBeCloseTo((far.left + far.right) / 2);
      expect(far.left - near.right).toBeGreaterThan(10);
      expect(far.from).toBeGreaterThanOrEqual(near.to);
    }
    for (const end of ends) expect(x(FROM + age + end)).toBeLessThanOrEqual(1050);
    let last = 0;
    for (let at = FROM; at <= FROM + age + 4 * DAY; at += 11 * MINUTE) {
      expect(x(at)).toBeGreaterThanOrEqual(last);
      last = x(at);
    }
  });

  it("leaves most of the room to what has happened", () => {
    const { x } = scale(2 * HOUR, [30 * DAY]);
    expect(x(FROM + 2 * HOUR) - x(FROM)).toBeGreaterThan(450);
  });
});

describe("its ticks", () => {
  it.each([2 * MINUTE, 3 * HOUR, 2 * DAY, 40 * DAY, 700 * DAY])("stand where they say and can be read, at an age of %i s", (age) => {
    const { near, far, x } = scale(age, [5 * HOUR, 6 * DAY]);
    for (const part of far ? [near, far] : [near]) {
      const ticks = lifelineTicks(part, FROM + age);
      expect(ticks.length).toBeLessThan(16);
      for (const [index, tick] of ticks.entries()) {
        expect(tick.x).toBeCloseTo(x(tick.at));
        const before = ticks[index - 1];
        if (before) expect(tick.x - before.x).toBeGreaterThanOrEqual(60);
      }
    }
  });

  it("mark a day at its midnight", () => {
    const { near } = scale(2 * DAY, []);
    expect(midnights(near).map((line) => Math.round(line))).toEqual([488, 938]);
    expect(
      lifelineTicks(near, FROM + 2 * DAY)
        .filter((tick) => tick.isDay)
        .map((tick) => tick.label),
    ).toEqual(["Tue", "Wed"]);
  });

  it("are days where they are days apart, also over a change of clocks", () => {
    setZone("Europe/London");
    const summer = Date.UTC(2026, 8, 15, 13, 0) / 1000;
    const now = Date.UTC(2026, 10, 29, 13, 0) / 1000;
    const labels = lifelineTicks({ from: summer, to: now, left: 0, right: 900 }, now).map((tick) => tick.label);
    expect(labels.length).toBeGreaterThan(6);
    expect(labels.filter((label) => /\d\d:\d\d/.test(label))).toEqual([]);
    setZone("UTC");
  });

  it("stay at midnight when the clocks change", () => {
    setZone("Europe/London");
    const autumn = Date.UTC(2026, 9, 24, 9, 0) / 1000;
    const { near } = lifelineScale(autumn, autumn + 3 * DAY, [], 0, 900);
    for (const tick of lifelineTicks(near, autumn + 3 * DAY).filter((one) => one.isDay))
      expect(
        new Intl.DateTimeFormat("en-GB", { timeZone: "Europe/London", hour: "2-digit", minute: "2-digit" }).format(tick.at * 1000),
      ).toBe("00:00");
    setZone("UTC");
  });
});
