import type { Ticket } from "../api/client";

/**
 * What a record offers to be done, as the server says it: which acts there are, where they
 * stand, by which key, and why one cannot be done now. No rule of that kind is decided here.
 */
export type RecordAct = Ticket["acts"][number];

export function actOf(ticket: Ticket, name: string): RecordAct | undefined {
  return ticket.acts.find((act) => act.name === name);
}

/** Whether an act can be done now, by this reader. */
export function can(ticket: Ticket, name: string): boolean {
  return actOf(ticket, name)?.why_not === "";
}

/** The acts of a place that can be done now. */
export function possible(ticket: Ticket, ...places: string[]): RecordAct[] {
  return ticket.acts.filter((act) => act.why_not === "" && places.includes(act.place));
}

/** The acts of a place, with those that cannot be done and say why. */
export function shown(ticket: Ticket, place: string): RecordAct[] {
  return ticket.acts.filter((act) => act.place === place);
}

/** The acts of the bar: those that can be done, and those that say why they cannot be here. */
export function onBar(ticket: Ticket): RecordAct[] {
  return shown(ticket, "bar").filter((act) => act.why_not === "" || act.hint !== "");
}

/** What an act that asks for nothing sends. */
export function bodyOf(ticket: Ticket, name: string): Record<string, unknown> {
  if (name === "take") return { seen_holder: ticket.facts.holder?.id ?? null };
  return name === "resume" ? { why: "" } : {};
}

/** What the keys of a record do: each begins the act whose key it is, if that can be done. */
export function keysOf(ticket: Ticket, begin: (act: RecordAct) => void): Record<string, () => void> {
  const keyed = ticket.acts.filter((act) => act.key !== "" && act.why_not === "");
  return Object.fromEntries(keyed.map((act) => [act.key, () => begin(act)]));
}
