import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { concernsLookout, gathered, Later, mayCome, type News } from "../src/shell/news";

const news = (ticket: number, more: Partial<News> = {}): News => ({
  ticket,
  kind: "replied",
  team: 1,
  mine: false,
  waits: false,
  known: false,
  rank: 100,
  ours: true,
  ...more,
});

describe("news of one ticket", () => {
  it("are one, and what it was to me in any of them it is in all", () => {
    const all = new Map<number, News>();
    gathered(all, news(7, { waits: true }));
    gathered(all, news(8));
    gathered(all, news(7, { mine: true, team: 2, kind: "declared" }));
    gathered(all, news(7, { mine: true, team: 2 }));
    expect([...all.values()]).toEqual([
      news(7, { waits: true, mine: true, team: 2, kinds: ["replied", "declared"] }),
      news(8, { kinds: ["replied"] }),
    ]);
  });
});

describe("a list asks for a ticket that it does not show", () => {
  const list = {
    rows: [
      { id: 1, rank_s: 50, move: "ours" },
      { id: 2, rank_s: 90, move: "ours" },
    ],
    cursor: "more",
  };
  it.each<[string, News | undefined, Parameters<typeof mayCome>[1], string, boolean]>([
    ["due before its last row", news(9, { rank: 89 }), list, "due", true],
    ["due with its last row", news(9, { rank: 90 }), list, "due", true],
    ["not: due after its last row", news(9, { rank: 91 }), list, "due", false],
    ["due after the last of all rows", news(9, { rank: 91 }), { ...list, cursor: null }, "due", true],
    ["in another order", news(9, { rank: 91 }), list, "title", true],
    ["that has ended", news(9, { rank: null }), list, "due", true],
    ["of which nothing is told", undefined, list, "due", true],
    ["while it is empty", news(9), { rows: [], cursor: null }, "due", true],
    ["before it was read", news(9), undefined, "due", true],
    ["that waits for us, in the order of work", news(9, { rank: 91 }), list, "turn", true],
    ["not: one that waits on others, while its last row waits for us", news(9, { ours: false }), list, "turn", false],
    [
      "that waits on others, once its last row does",
      news(9, { ours: false }),
      { ...list, rows: [{ id: 1, rank_s: 90, move: "supplier's" }] },
      "turn",
      true,
    ],
  ])("%s", (_, one, shown, sort, asks) => expect(mayCome(one, shown, sort)).toBe(asks));
});

describe("a Lookout is read again", () => {
  const mine = { ours: [{ id: 1 }], others: [{ id: 2 }], tasks: [{ ticket: 3 }], approvals: [{ ticket: 4 }] };
  const teams = { ours: [{ id: 5 }], others: [{ id: 6 }], tasks: 12 };
  it.each<[string, unknown[], unknown, News, boolean]>([
    ["for a ticket that it shows", ["lookout"], mine, news(1), true],
    ["for one that waits for others", ["lookout"], mine, news(2), true],
    ["for one with a task of mine", ["lookout"], mine, news(3), true],
    ["for one with an approval of mine", ["lookout"], mine, news(4), true],
    ["for one that now belongs there", ["lookout"], mine, news(9, { waits: true }), true],
    ["for one that I follow, of which I may have got a part", ["lookout"], mine, news(9, { mine: true, kind: "task given" }), true],
    ["not for what was only said on a colleague's", ["lookout"], mine, news(9, { mine: true, kind: "noted" }), false],
    ["for nothing of somebody else", ["lookout"], mine, news(9), false],
    ["a team's, for a ticket that it shows", ["lookout", 3], teams, news(5), true],
    ["a team's, for one that waits on others", ["lookout", 3], teams, news(6), true],
    ["a team's, for what the team got", ["lookout", 3], teams, news(9, { team: 3 }), true],
    ["a team's, not for what is mine elsewhere", ["lookout", 3], teams, news(9, { mine: true }), false],
    ["before it was ever read, for what is mine", ["lookout"], undefined, news(9, { mine: true, kind: "taken" }), true],
  ])("%s", (_, key, data, one, is) => {
    expect(concernsLookout(key, data, [one])).toBe(is);
  });
});

describe("later", () => {
  beforeEach(() => void vi.useFakeTimers());
  afterEach(() => void vi.useRealTimers());

  it("does a thing once, within its spread, and again when asked after that", () => {
    const later = new Later();
    const act = vi.fn();
    for (let n = 0; n < 5; n += 1) later.do("figures", 100, 50, act);
    vi.advanceTimersByTime(99);
    expect(act).not.toHaveBeenCalled();
    vi.advanceTimersByTime(51);
    expect(act).toHaveBeenCalledTimes(1);
    later.do("figures", 100, 50, act);
    vi.advanceTimersByTime(150);
    expect(act).toHaveBeenCalledTimes(2);
  });

  it("does nothing any more once it is stopped", () => {
    const later = new Later();
    const act = vi.fn();
    later.do("figures", 100, 0, act);
    later.stop();
    vi.advanceTimersByTime(500);
    expect(act).not.toHaveBeenCalled();
  });
});
