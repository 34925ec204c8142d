import type { Ticket } from "../../api/client";
import { when } from "../../parts/time";

/** The state of a record in a line: what it is, what it waits on, what is expected of us. */
export function stateWords(ticket: Ticket, now: number): string {
  if (ticket.state === "resolved")
    return `resolved ${ticket.resolved_s ? when(ticket.resolved_s, now) : ""}${ticket.closes_s ? `, closes by itself ${when(ticket.closes_s, now)}` : ""}`;
  if (ticket.state === "waiting" && ticket.waiting)
    return `waiting on ${ticket.waiting.on === "requester" ? ticket.facts.requester.name : ticket.waiting.on}`;
  const marks = [
    ticket.markers.is_for_you ? "handed to you" : "",
    ticket.markers.is_answered ? "answered" : ticket.markers.needs_reply ? "needs reply" : "",
  ].filter(Boolean);
  return [ticket.statuses.find((status) => status.key === ticket.status)?.label ?? ticket.state, ...marks].join(" · ");
}
