/** The sentence filter as data: kept in the URL, sent to the server as a condition. */

import { isComplete, type Leaf } from "../../parts/condition/tree";

export interface ListState {
  leaves: Leaf[];
  sort: string;
  descending: boolean;
}

export const SORTS: Record<string, string> = {
  due: "due",
  opened: "when it was opened",
  changed: "last change",
  priority: "priority",
  resolved: "when it was resolved",
  number: "number",
};

const START: Leaf[] = [{ field: "open", op: "is", value: true }];

export const VIEWS: { name: string; leaves: Leaf[]; sort?: string; descending?: boolean }[] = [
  { name: "All open", leaves: START },
  { name: "Nobody's", leaves: [...START, { field: "holder", op: "is empty" }] },
  { name: "My teams", leaves: [...START, { field: "team", op: "is my team" }] },
  { name: "Mine", leaves: [...START, { field: "holder", op: "is me" }] },
  { name: "Waiting", leaves: [...START, { field: "state", op: "is one of", value: ["waiting"] }] },
  {
    name: "Resolved this week",
    leaves: [{ field: "resolved", op: "in the last", value: 7 * 86_400 }],
    sort: "resolved",
    descending: true,
  },
];

export function readState(params: URLSearchParams): ListState {
  let leaves = START;
  const text = params.get("filter");
  if (text !== null) {
    try {
      const tree = JSON.parse(text) as { all?: Leaf[] };
      if (Array.isArray(tree.all)) leaves = tree.all;
    } catch {
      leaves = START;
    }
  }
  const sort = params.get("sort") ?? "due";
  return { leaves, sort: sort in SORTS ? sort : "due", descending: params.get("down") === "1" };
}

export function writeState(params: URLSearchParams, state: ListState): URLSearchParams {
  const next = new URLSearchParams(params);
  next.set("filter", JSON.stringify({ all: state.leaves }));
  next.set("sort", state.sort);
  if (state.descending) next.set("down", "1");
  else next.delete("down");
  return next;
}

export function toCondition(leaves: Leaf[]): string {
  return JSON.stringify({ all: leaves.filter(isComplete) });
}
