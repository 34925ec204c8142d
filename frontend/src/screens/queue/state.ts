import { asText } from "../../parts/text";
/** What the Queue shows, as data: kept in the URL, in views, and sent to the server. */

import { START_COLUMNS } from "../../parts/list/columns";
import { readSorts, type Sort, writeSorts } from "../../parts/list/types";
import { isLeaf, type Leaf, partsOf, pruned, type Tree } from "../../parts/condition/tree";

export interface ListState {
  tree: Tree;
  words: string;
  sorts: Sort[];
  columns: string[];
  widths: Record<string, number>;
  group: string;
  form: "list" | "cards";
}

export interface ViewBody {
  filter?: unknown;
  sort?: string;
  columns?: string[];
  widths?: Record<string, number>;
  group?: string;
  form?: "list" | "cards";
}

const OPEN: Leaf = { field: "open", op: "is", value: true };

export const START: ListState = {
  tree: { all: [OPEN] },
  words: "",
  sorts: [{ name: "turn", isDown: false }],
  columns: START_COLUMNS,
  widths: {},
  group: "",
  form: "list",
};

function where(leaves: Leaf[], sort = "turn"): ViewBody {
  return { filter: { all: leaves }, sort };
}

/** The views that everybody has without keeping any. */
export const SHIPPED: { key: string; name: string; body: ViewBody }[] = [
  { key: "open", name: "All open", body: where([OPEN]) },
  { key: "nobodys", name: "Unassigned", body: where([OPEN, { field: "holder", op: "is empty" }]) },
  { key: "teams", name: "My teams", body: where([OPEN, { field: "team", op: "is my team" }]) },
  { key: "mine", name: "Mine", body: where([OPEN, { field: "holder", op: "is me" }]) },
  { key: "waiting", name: "Waiting", body: where([OPEN, { field: "state", op: "is one of", value: ["waiting"] }]) },
  { key: "later", name: "Marked for later", body: where([{ field: "marked by", op: "is me" }], "-changed") },
  { key: "followed", name: "Followed", body: where([{ field: "follower", op: "is me" }], "-changed") },
  {
    key: "resolved",
    name: "Resolved this week",
    body: where([{ field: "resolved", op: "in the last", value: 7 * 86_400 }], "-resolved"),
  },
];

function isWordsLeaf(tree: Tree): tree is Leaf {
  return isLeaf(tree) && tree.field === "words" && tree.op === "has words";
}

/** A view's body as the state of a list; its words become the search field's. */
export function fromBody(body: ViewBody): ListState {
  const tree = (body.filter ?? { all: [] }) as Tree;
  const { parts, joined } = partsOf(tree);
  const words = joined === "all" ? parts.find(isWordsLeaf) : undefined;
  return {
    tree: words ? { all: parts.filter((part) => part !== words) } : tree,
    words: words ? asText(words.value ?? "") : "",
    sorts: readSorts(body.sort ?? "turn"),
    columns: body.columns && body.columns.length > 0 ? body.columns : START_COLUMNS,
    widths: body.widths ?? {},
    group: body.group ?? "",
    form: body.form ?? "list",
  };
}

export function toBody(state: ListState): Required<ViewBody> {
  return {
    filter: JSON.parse(toCondition(state)) as unknown,
    sort: writeSorts(state.sorts),
    columns: state.columns,
    widths: state.widths,
    group: state.group,
    form: state.form,
  };
}

/** The condition that the server is asked: the tree and the words, only what is complete. */
export function toCondition(state: Pick<ListState, "tree" | "words">): string {
  const parts = partsOf(state.tree);
  const whole = pruned(state.tree);
  const words: Leaf[] = state.words.trim() ? [{ field: "words", op: "has words", value: state.words.trim() }] : [];
  if (parts.joined === "any" && !isLeaf(state.tree)) return JSON.stringify(words.length ? { all: [whole, ...words] } : whole);
  const listed = isLeaf(whole) || "not" in whole ? [whole] : (whole as { all: Tree[] }).all;
  return JSON.stringify({ all: [...listed, ...words] });
}

const KEYS = ["filter", "words", "sort", "columns", "widths", "group", "form"] as const;

export function readState(params: URLSearchParams, base: ListState): ListState {
  const state = { ...base };
  const filter = params.get("filter");
  if (filter !== null) {
    try {
      const read = fromBody({ filter: JSON.parse(filter) });
      state.tree = read.tree;
      state.words = read.words;
    } catch {
      // A torn link shows the view it began from.
    }
  }
  if (params.has("words")) state.words = params.get("words") ?? "";
  if (params.has("sort")) state.sorts = readSorts(params.get("sort") ?? "");
  if (params.has("columns")) state.columns = (params.get("columns") ?? "").split(",").filter(Boolean);
  if (params.has("group")) state.group = params.get("group") ?? "";
  if (params.get("form") === "cards" || params.get("form") === "list") state.form = params.get("form") as "list";
  if (params.has("widths"))
    state.widths = Object.fromEntries(
      (params.get("widths") ?? "").split(",").flatMap((part) => {
        const at = part.lastIndexOf(":");
        return at > 0 ? [[part.slice(0, at), +part.slice(at + 1)] as const] : [];
      }),
    );
  return state;
}

/** The address of a state: only what differs from the view it began from. */
export function writeState(params: URLSearchParams, state: ListState, base: ListState): URLSearchParams {
  const next = new URLSearchParams(params);
  for (const key of KEYS) next.delete(key);
  if (JSON.stringify(state.tree) !== JSON.stringify(base.tree)) next.set("filter", JSON.stringify(state.tree));
  if (state.words !== base.words) next.set("words", state.words);
  if (writeSorts(state.sorts) !== writeSorts(base.sorts)) next.set("sort", writeSorts(state.sorts));
  if (state.columns.join() !== base.columns.join()) next.set("columns", state.columns.join());
  if (state.group !== base.group) next.set("group", state.group);
  if (state.form !== base.form) next.set("form", state.form);
  if (JSON.stringify(state.widths) !== JSON.stringify(base.widths))
    next.set(
      "widths",
      Object.entries(state.widths)
        .map(([name, width]) => `${name}:${Math.round(width)}`)
        .join(","),
    );
  return next;
}

export function isSame(one: ListState, other: ListState): boolean {
  return JSON.stringify(toBody(one)) === JSON.stringify(toBody(other));
}
