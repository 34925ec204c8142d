import type { components } from "../../api/schema";

export type Stopped = components["schemas"]["StoppedShape"];
type Step = components["schemas"]["ImpactStepShape"];

export const LIVES = ["planned", "in use", "in repair", "retired"];
export const CRITICALITIES = ["vital", "high", "medium", "low"];

/** How vital something is, in a word. */
export function vital(criticality: number): string {
  return CRITICALITIES[criticality - 1] ?? "low";
}

/** A share of something lost, as people say it. */
export function percent(share: number): string {
  const value = share * 100;
  return `${value >= 1 ? Math.round(value) : value >= 0.1 ? value.toFixed(1) : "under 0.1"} %`;
}

export function shareWord(share: number): string {
  return { 1: "wholly", 0.5: "half", 0.25: "a quarter" }[share] ?? percent(share);
}

/** The path that explains a share: "it stands wholly on A, that half on B". */
export function pathSentence(path: Step[]): string {
  return path
    .map((step, index) => {
      const group = step.group ? ` (one of ${step.group})` : "";
      return `${index === 0 ? "it stands" : "that"} ${shareWord(step.share)} on ${step.on}${group}`;
    })
    .join(", ");
}

export function strengthWords(strength: string, group: string): string {
  if (strength === "redundant") return `one of ${group || "a group"}: one is enough`;
  return strength === "soft" ? "partly" : "wholly";
}

/** "7 of 14 services lose something, through 8 applications and items". */
export function stoppedSentence(found: Stopped): string {
  const services = `${found.services} of ${found.all_services} services`;
  if (found.affected.length === 0) return "Nothing else loses anything";
  const items = found.items === 1 ? "1 item" : `${found.items} items`;
  return `${services} ${found.services === 1 ? "loses" : "lose"} something, through ${items}`;
}

/** The name of a node as an address: a service's page or an item's. */
export function pageOf(node: string): string {
  const [what, number] = node.split("-");
  return what === "service" ? `/desk/services/${number ?? ""}` : `/desk/items/${number ?? ""}`;
}

/** How seldom chance makes as many, in a word: by once in how many fortnights. */
export function seldom(fortnights: number): string {
  if (fortnights >= 1000) return "hardly ever";
  return fortnights >= 200 ? "very seldom" : "seldom";
}
