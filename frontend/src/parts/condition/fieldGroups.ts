import type { FieldAbout } from "../../api/client";

/** In the order in which one looks for them. */
const GROUPS = [
  "The ticket",
  "People and teams",
  "What it is about",
  "Item",
  "Times",
  "SLA and escalation",
  "Work and links",
  "Fields of our own",
] as const;
type GroupName = (typeof GROUPS)[number];

const BY_NAME: [RegExp, GroupName][] = [
  [/^(agreement|care tier|due|late|first answer|next step|untouched|target|clock|score)/, "SLA and escalation"],
  [
    /^(requester|beneficiary|holder|resolver|team|member|people|follower|marked|service owner|manager|author|department|job|for whom)/,
    "People and teams",
  ],
  [/^(service|ci|place|category|supplier|country|item|cost|monthly|once|answer )/, "What it is about"],
  [/(task|approval|approver|parent|child|duplicate|link|announced|article|outward|merged)/, "Work and links"],
];

export function groupOf(field: Pick<FieldAbout, "name" | "type" | "is_own">): GroupName {
  if (field.name.startsWith("ci.")) return "Item";
  if (field.is_own) return "Fields of our own";
  const named = BY_NAME.find(([pattern]) => pattern.test(field.name));
  if (named) return named[1];
  if (field.type === "instant" || field.type === "date") return "Times";
  return field.type === "person" || field.type === "team" ? "People and teams" : "The ticket";
}

export interface FieldGroup<T> {
  name: string;
  fields: T[];
}

/** Fields under what they tell of, each group by name; one group alone needs no heading. */
export function grouped<T extends Pick<FieldAbout, "name" | "type" | "is_own" | "label">>(fields: T[]): FieldGroup<T>[] {
  const found = GROUPS.map((name) => ({
    name: String(name),
    fields: fields.filter((field) => groupOf(field) === name).sort((one, other) => one.label.localeCompare(other.label)),
  })).filter((group) => group.fields.length > 0);
  const [only] = found;
  return found.length === 1 && only ? [{ ...only, name: "" }] : found;
}
