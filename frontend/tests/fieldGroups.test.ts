import { describe, expect, it } from "vitest";
import { grouped, groupOf } from "../src/parts/condition/fieldGroups";

const field = (name: string, type = "text", is_own = false) => ({ name, type, is_own, label: name });

describe("fields of a condition", () => {
  it.each([
    [field("title"), "The ticket"],
    [field("holder", "person"), "People and teams"],
    [field("service.criticality", "number"), "What it is about"],
    [field("resolved", "instant"), "Times"],
    [field("due", "instant"), "SLA and escalation"],
    [field("open tasks", "number"), "Work and links"],
    [field("due_to_weather", "text", true), "Fields of our own"],
  ])("%j stands under %s", (one, group) => expect(groupOf(one)).toBe(group));

  it("are each there once, by name in their group", () => {
    const all = [field("title"), field("state"), field("team", "team"), field("holder", "person"), field("x", "text", true)];
    const found = grouped(all);
    expect(found.map((group) => group.name)).toEqual(["The ticket", "People and teams", "Fields of our own"]);
    expect(found.flatMap((group) => group.fields).length).toBe(all.length);
    expect(found[0]?.fields.map((one) => one.name)).toEqual(["state", "title"]);
  });

  it("need no heading when they are of one kind", () => {
    expect(grouped([field("title"), field("state")])).toEqual([{ name: "", fields: [field("state"), field("title")] }]);
  });
});
