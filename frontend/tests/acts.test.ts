import { describe, expect, it, vi } from "vitest";
import type { Ticket } from "../src/api/client";
import { bodyOf, can, keysOf, onBar, possible, shown } from "../src/parts/recordActs";

const act = (name: string, place: string, why_not = "", more = {}) => ({ name, place, why_not, hint: "", key: "", label: name, ...more });
const ticket = {
  facts: { holder: { id: 7, name: "Joss" } },
  acts: [
    act("take", "bar", "", { key: "a" }),
    act("wait", "bar", "It is closed.", { key: "w" }),
    act("escalate", "bar", "Nobody stands above.", { key: "e", hint: "Nobody stands above." }),
    act("merge", "menu"),
    act("reopen", "menu", "It is open."),
    act("resolve", "main", "", { key: "z" }),
  ],
} as unknown as Ticket;
const names = (acts: { name: string }[]) => acts.map((one) => one.name);

describe("what a record offers", () => {
  it("is what the server says, place by place", () => {
    expect(names(possible(ticket, "bar", "main"))).toEqual(["take", "resolve"]);
    expect(names(shown(ticket, "menu"))).toEqual(["merge", "reopen"]);
    expect(names(onBar(ticket))).toEqual(["take", "escalate"]);
  });
  it("can be done only if nothing stands against it, and not if it is not there", () => {
    expect([can(ticket, "take"), can(ticket, "wait"), can(ticket, "fly")]).toEqual([true, false, false]);
  });
  it("has a key only while it can be done", () => {
    const begin = vi.fn();
    const keys = keysOf(ticket, begin);
    expect(Object.keys(keys)).toEqual(["a", "z"]);
    keys.z?.();
    expect(begin).toHaveBeenCalledExactlyOnceWith(ticket.acts[5]);
  });
  it("says what the page showed when it is done", () => {
    expect(bodyOf(ticket, "take")).toEqual({ seen_holder: 7 });
    expect(bodyOf({ ...ticket, facts: { holder: null } } as unknown as Ticket, "take")).toEqual({ seen_holder: null });
    expect(bodyOf(ticket, "merge")).toEqual({});
  });
});
