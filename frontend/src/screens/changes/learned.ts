import type { Ticket } from "../../api/client";
import { PART } from "./words";

type Change = NonNullable<Ticket["change"]>;

const PARTS = ["implement", "test", "back out"] as const;

/** What is known of a change as the text of an article: why, the steps by part, what was learned. */
function bodyOf(change: Pick<Change, "why" | "learned" | "steps">): string {
  const parts = PARTS.map((part) => {
    const steps = change.steps.filter((step) => step.part === part);
    if (steps.length === 0) return "";
    return `## ${PART[part]}\n\n${steps.map((step, index) => `${index + 1}. ${step.says}`).join("\n")}`;
  });
  const learned = change.learned.trim() === "" ? "" : `## What was learned\n\n${change.learned.trim()}`;
  return [change.why.trim(), ...parts, learned].filter((one) => one !== "").join("\n\n");
}

/** A draft of an article from a change. */
export function articleOf(ticket: Ticket) {
  return {
    title: ticket.title,
    body: ticket.change ? bodyOf(ticket.change) : "",
    service: ticket.facts.service?.id ?? null,
    category: ticket.facts.category || "",
    for_everybody: false,
    note: "",
  };
}

/** A change template from a change, with its plan, its items and what was expected of them all alike. */
export function templateOf(ticket: Ticket, now: number) {
  const change = ticket.change;
  const items = change?.items ?? [];
  const first = items[0]?.expected ?? {};
  const alike = Object.entries(first).filter(([key, value]) => items.every((one) => one.expected[key] === value));
  const span = change?.starts_s && change.ends_s ? Math.round((change.ends_s - change.starts_s) / 60) : 60;
  return {
    key: `of-${ticket.id}-${now.toString(36)}`,
    name: ticket.title,
    title: ticket.title,
    why: change?.why ?? "",
    tried: change?.tried ?? "",
    service: ticket.facts.service?.name ?? "",
    items: items.map((one) => one.key),
    minutes: span,
    steps: (change?.steps ?? []).map(({ part, says, minutes, runbook, inputs, outputs, only_if: onlyIf }) => ({
      part,
      says,
      minutes,
      ...(runbook ? { runbook, inputs } : {}),
      ...(outputs.length > 0 ? { outputs } : {}),
      ...(onlyIf.output ? { only_if: onlyIf } : {}),
    })),
    expects: alike.map(([attribute, value]) => ({ attribute, value: String(value) })),
  };
}
