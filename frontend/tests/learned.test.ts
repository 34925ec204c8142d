import { describe, expect, it } from "vitest";
import type { Ticket } from "../src/api/client";
import { articleOf, templateOf } from "../src/screens/changes/learned";

const step = (part: string, says: string, some = {}) => ({
  id: says,
  part,
  says,
  who: "7",
  name: "Joss",
  minutes: 15,
  runbook: "",
  inputs: {},
  outputs: [],
  only_if: { output: "", is: "" },
  ...some,
});
const item = (key: string, expected: Record<string, unknown>) => ({ item: 1, key, name: key, kind: "", place: "", expected });

function change(some: object): Ticket {
  return {
    id: 4711,
    title: "Memory of the roster server",
    facts: { service: { id: 3, name: "Crew roster" }, category: "Servers" },
    change: {
      why: "It runs out at the turn of the month.",
      tried: "On the spare",
      learned: "",
      steps: [step("implement", "Add the memory"), step("back out", "Take it out"), step("test", "Start the roster")],
      items: [],
      starts_s: 1_000_000,
      ends_s: 1_000_000 + 5400,
      ...some,
    },
  } as unknown as Ticket;
}

describe("an article from a change", () => {
  it("says why, the steps by part in the order of doing, and what was learned", () => {
    expect(articleOf(change({ learned: "Order it two weeks before.\n" })).body).toBe(
      [
        "It runs out at the turn of the month.",
        "## Implementation\n\n1. Add the memory",
        "## Test\n\n1. Start the roster",
        "## Back-out\n\n1. Take it out",
        "## What was learned\n\nOrder it two weeks before.",
      ].join("\n\n"),
    );
  });

  it("leaves out what nobody wrote, and is for the desk alone", () => {
    const found = articleOf(change({ why: " ", steps: [], learned: "" }));
    expect(found).toMatchObject({ title: "Memory of the roster server", body: "", service: 3, category: "Servers", for_everybody: false });
  });
});

describe("a template from a change", () => {
  it("keeps the plan without its people, the items and the span", () => {
    const found = templateOf(change({ items: [item("server-1", {})] }), 0);
    expect(found).toMatchObject({ service: "Crew roster", items: ["server-1"], minutes: 90, tried: "On the spare", expects: [] });
    expect(found.steps[0]).toEqual({ part: "implement", says: "Add the memory", minutes: 15 });
  });

  it("keeps runbooks with their inputs, and what a step yields", () => {
    const steps = [step("implement", "Restart", { runbook: "restart-till", inputs: { till: "9" }, outputs: ["slip"] })];
    expect(templateOf(change({ steps }), 0).steps).toEqual([
      { part: "implement", says: "Restart", minutes: 15, runbook: "restart-till", inputs: { till: "9" }, outputs: ["slip"] },
    ]);
  });

  it.each([
    [
      [
        { memory: 32, disk: 1 },
        { memory: 32, disk: 2 },
      ],
      [{ attribute: "memory", value: "32" }],
    ],
    [[{ memory: 32 }, {}], []],
    [[], []],
  ])("expects only what was expected of every item: %j", (expected, kept) => {
    const items = expected.map((one, index) => item(`server-${index}`, one));
    expect(templateOf(change({ items }), 0).expects).toEqual(kept);
  });
});
