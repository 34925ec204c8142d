import { describe, expect, it } from "vitest";
import type { Row } from "../src/api/client";
import { EMPTY, type Kept, touched, withNewcomers, withPage } from "../src/parts/list/kept";

const row = (id: number, title = `ticket ${id}`) => ({ id, title }) as Row;
const list = (...ids: number[]): Kept => ({ ...EMPTY, rows: ids.map((id) => row(id)) });
const page = (rows: Row[], next_cursor: string | null = null) => ({ rows, next_cursor, is_capped: false });

describe("a page more", () => {
  it("stands behind what was read, and no row stands twice", () => {
    const first = withPage(EMPTY, page([row(1), row(2)], "behind 2"), 10);
    const both = withPage(first, page([row(2, "moved"), row(3)]), 20);
    expect(both.rows.map((one) => one.id)).toEqual([1, 2, 3]);
    expect(both.rows[1]?.title).toBe("ticket 2");
    expect([first.cursor, both.cursor, both.readAt]).toEqual(["behind 2", null, 20]);
  });
});

describe("what others change", () => {
  it.each([
    ["is changed in place", [1, 2, 3], [2], [2], { gone: [], fresh: [] }],
    ["is left where it is when it no longer belongs", [1, 2, 3], [2], [], { gone: [2], fresh: [] }],
    ["is counted when it came to belong", [1, 2], [9], [9], { gone: [], fresh: [9] }],
    ["is nothing to a list that never had it", [1, 2], [9], [], { gone: [], fresh: [] }],
  ])("%s", (_, shown, asked, fits, after) => {
    const found = touched(
      list(...shown),
      asked.map((id) => row(id, "now")),
      new Set(fits),
      asked,
    );
    expect(found.rows.map((one) => one.id)).toEqual(shown);
    expect({ gone: [...found.gone], fresh: found.fresh }).toEqual(after);
    for (const one of found.rows) expect(one.title).toBe(asked.includes(one.id) ? "now" : `ticket ${one.id}`);
  });

  it("comes back when it belongs again, and is not offered twice", () => {
    const gone = touched(list(1), [row(1)], new Set(), [1]);
    expect([...touched(gone, [row(1)], new Set([1]), [1]).gone]).toEqual([]);
    const fresh = touched(list(1), [row(9)], new Set([9]), [9]);
    expect(touched(fresh, [row(9)], new Set([9]), [9]).fresh).toEqual([9]);
    expect(touched(fresh, [row(9)], new Set(), [9]).fresh).toEqual([]);
  });

  it("does not touch the list it is given", () => {
    const before = list(1, 2);
    touched(before, [row(1, "now")], new Set(), [1, 2]);
    expect(before).toEqual(list(1, 2));
  });
});

describe("newcomers at the head", () => {
  it("are counted once, beside those known already", () => {
    const once = withNewcomers(list(1, 2), [row(8), row(1)]);
    expect(once.fresh).toEqual([8]);
    expect(withNewcomers(once, [row(9), row(8), row(1)]).fresh).toEqual([8, 9]);
  });
  it("leave the list as it is when there are none", () => {
    const before = list(1, 2);
    expect(withNewcomers(before, [row(2), row(1)])).toBe(before);
  });
});
