import type { Export } from "../../api/client";

export const isUnderWay = (one: Export): boolean => one.state === "waiting" || one.state === "running";

export const fileOf = (one: Export): string => `/api/exports/${one.id}/file`;

const many = (count: number): string => count.toLocaleString("en-GB");

/** How an export stands, in a sentence. */
export function progressWords(one: Export): string {
  if (one.state === "waiting") return "The export waits for its turn…";
  if (one.state === "running") return one.total > 0 ? `Exporting: ${many(one.done)} of ${many(one.total)} rows` : "Exporting…";
  if (one.state === "done") return `${many(one.rows ?? 0)} rows exported${one.is_cut ? "; the list has more, these are the first" : ""}.`;
  return one.problem ? `The export failed: ${one.problem}` : "The export was stopped.";
}
