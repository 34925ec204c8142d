/** Conditions as data: leaves, and groups of them. */

export interface Leaf {
  field: string;
  op: string;
  value?: unknown;
}

interface All {
  all: Tree[];
}
interface Any {
  any: Tree[];
}
interface Not {
  not: Tree;
}
export type Tree = Leaf | All | Any | Not;

export const NO_VALUE = ["is empty", "is filled", "is me", "is my team", "changed"];

/** Only what is complete counts; a half-made condition says nothing yet. */
export function isComplete(leaf: Leaf): boolean {
  if (NO_VALUE.includes(leaf.op)) return true;
  if (Array.isArray(leaf.value)) return leaf.value.length > 0 && leaf.value.every((item) => item !== "" && item !== null);
  return leaf.value !== undefined && leaf.value !== "" && leaf.value !== null;
}

/** Whether something that was read is a condition, as far as its shape goes. */
export function isTree(found: unknown): found is Tree {
  if (typeof found !== "object" || found === null) return false;
  const node = found as Record<string, unknown>;
  if (typeof node.field === "string") return typeof node.op === "string";
  if ("not" in node) return isTree(node.not);
  const parts = node.all ?? node.any;
  return Array.isArray(parts) && parts.every(isTree);
}

export function isLeaf(tree: Tree): tree is Leaf {
  return "field" in tree;
}

/** The parts of a group, and how they are joined; a single leaf is a group of one. */
export function partsOf(tree: Tree): { parts: Tree[]; joined: "all" | "any" } {
  if ("all" in tree) return { parts: tree.all, joined: "all" };
  if ("any" in tree) return { parts: tree.any, joined: "any" };
  return { parts: [tree], joined: "all" };
}

/** A group with its parts, as plain as it can be said. */
export function groupOf(parts: Tree[], joined: "all" | "any"): Tree {
  const [only] = parts;
  if (parts.length === 1 && only && isLeaf(only)) return only;
  return joined === "all" ? { all: parts } : { any: parts };
}

/** A tree without its half-made leaves and empty groups. */
export function pruned(tree: Tree): Tree {
  if ("not" in tree) return { not: pruned(tree.not) };
  if (isLeaf(tree)) return tree;
  const { parts, joined } = partsOf(tree);
  const kept = parts.filter(saysSomething).map(pruned);
  return joined === "all" ? { all: kept } : kept.length > 0 ? { any: kept } : { all: [] };
}

/** Whether a tree has a leaf that is complete. */
export function saysSomething(tree: Tree): boolean {
  if ("not" in tree) return saysSomething(tree.not);
  return isLeaf(tree) ? isComplete(tree) : partsOf(tree).parts.some(saysSomething);
}

/** Every question of a condition, in reading order. */
export function leavesOf(tree: Tree): Leaf[] {
  if (isLeaf(tree)) return [tree];
  if ("not" in tree) return leavesOf(tree.not);
  return partsOf(tree).parts.flatMap(leavesOf);
}
