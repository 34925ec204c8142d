import type { components } from "../../api/schema";

export type LogPreview = components["schemas"]["LogPreviewShape"];

/** What is written down of a call, kept until it is logged. */
export const EMPTY_CALL = {
  person: 0,
  name: "",
  title: "",
  text: "",
  service: "",
  category: "",
  ci: "",
  ciName: "",
  place: "",
  who: "",
  work: "",
  template: "",
  /** Who gets it: as routed, oneself, or a team and perhaps somebody of it. */
  assign: "routed" as "routed" | "me" | "other",
  team: "",
  member: "",
  /** The ticket that it is to be a part of. */
  parent: 0,
  values: {} as Record<string, unknown>,
};
export type Call = typeof EMPTY_CALL;

/** What the dialog draws itself; the rest of the form comes as its states say. */
export const DRAWN = ["title", "text", "service", "place", "who", "work", "category", "ci"];

/** A call as the server takes it. */
export function asLogged(call: Call, me: number) {
  return {
    kind: "",
    requester: call.person,
    title: call.title,
    text: call.text,
    service: call.service ? +call.service : null,
    ci: call.ci ? +call.ci : null,
    place: call.place,
    answers: Object.fromEntries(Object.entries({ who: call.who, work: call.work }).filter(([, value]) => value)),
    attachments: [] as string[],
    is_confidential: false,
    template: call.template,
    category: call.category,
    parent: call.parent || null,
    team: call.assign === "other" && call.team ? +call.team : null,
    person: call.assign === "me" ? me : call.assign === "other" && call.member ? +call.member : null,
    values: Object.fromEntries(Object.entries(call.values).filter(([, value]) => value !== null && value !== "")) as never,
  };
}
