import { describe, expect, it } from "vitest";
import { asked, exported, fitting, placed } from "../src/parts/list/columns";

describe("columns of the queue", () => {
  it.each([
    [["a", "b", "c"], "a", "c", ["b", "c", "a"]],
    [["a", "b", "c"], "c", "a", ["c", "a", "b"]],
    [["a", "b", "c"], "a", "b", ["b", "a", "c"]],
    [["a", "b", "c"], "b", "b", ["a", "b", "c"]],
    [["a", "b"], "z", "a", ["a", "b"]],
    [["a", "b"], "a", "z", ["a", "b"]],
  ])("%j with %s dragged onto %s", (columns, name, onto, wanted) => {
    expect(placed(columns, name, onto)).toEqual(wanted);
  });

  it("the age is drawn from the row, and exported as the moment it counts from", () => {
    expect(asked(["age", "tags", "service"])).toBe("tags");
    expect(exported(["age", "tags"])).toBe("tags,opened");
    expect(exported(["age"])).toBe("opened");
    expect(exported(["tags"])).toBe("tags");
  });

  it("where there is no room the assignee is the last to go, and the horizon stays", () => {
    const all = ["service", "team", "holder", "age", "horizon"];
    expect(fitting(all, {}, 2000)).toEqual(all);
    const few = fitting(all, {}, 760);
    expect(few).toContain("horizon");
    expect(few.includes("holder") || few.length === 1).toBe(true);
  });
});
