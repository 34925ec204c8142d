import type { components } from "../../api/schema";

export type Change = components["schemas"]["ChangeShape"];
export type Assessment = components["schemas"]["AssessmentShape"];
export type Step = components["schemas"]["ChangeStepShape"];
export type Clash = components["schemas"]["ClashShape"];
export type Line = components["schemas"]["ChangeLineShape"];

/** What each factor of risk is called, and what it would take for it to fall away. */
export const FACTOR: Record<string, { says: string; without: string }> = {
  track_record: { says: "Its track record", without: "" },
  in_freeze: { says: "In a freeze", without: "outside the freeze" },
  outside_window: { says: "Outside a maintenance window", without: "inside the windows" },
  clashes: { says: "Clashes", without: "without a clash" },
  lead_time_short: { says: "At short notice", without: "with enough notice" },
  no_backout: { says: "No way back written", without: "with a way back" },
  untested: { says: "Not tried before", without: "tried before" },
  first_on_service: { says: "First change of this service by whoever does it", without: "by somebody who has done one" },
  many_items: { says: "Many items at once", without: "" },
};

export const CRITICALITY = ["", "vital", "important", "ordinary", "minor"];

export const PART: Record<string, string> = { implement: "Implementation", test: "Test", "back out": "Back-out" };

const CLASH: Record<string, string> = {
  implementer: "same people",
  ci: "same or dependent items",
  service: "same service",
  freeze: "in a freeze",
  window: "outside its maintenance windows",
  cab: "before the CAB decides",
  absent: "away then",
};

/** A clash as a person says it: with what, and why. */
export function clashWords(one: Clash): string {
  const what = one.what.length > 0 ? `: ${one.what.join(", ")}` : "";
  return `${CLASH[one.kind] ?? one.kind}${what}`;
}

/** Minutes as people say them. */
export function minutes(count: number): string {
  if (count < 60) return `${count} min`;
  const rest = count % 60;
  return `${Math.floor(count / 60)} h${rest ? ` ${String(rest).padStart(2, "0")}` : ""}`;
}

/** How a rating is filled where it is drawn; always beside its word. */
export const RATING_FILL: Record<string, string> = {
  low: "bg-sea-2 text-ink",
  moderate: "bg-sea text-on-sea",
  high: "bg-ink text-sheet",
  critical: "bg-rust text-on-sea",
};
