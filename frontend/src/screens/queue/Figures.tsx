import type { components } from "../../api/schema";
import type { Leaf, Tree } from "../../parts/condition/tree";
import { isLeaf, partsOf } from "../../parts/condition/tree";

type Counts = components["schemas"]["FiguresShape"];

const YEAR = 365 * 86_400;
const FIGURES: { key: keyof Counts; label: string; leaf: Leaf }[] = [
  { key: "late", label: "overdue", leaf: { field: "late since", op: "in the last", value: YEAR } },
  { key: "due_soon", label: "due this hour", leaf: { field: "due", op: "in the next", value: 3600 } },
  { key: "nobodys", label: "unassigned", leaf: { field: "holder", op: "is empty" } },
  { key: "major", label: "suggested as major", leaf: { field: "suggested as major", op: "is", value: true } },
  { key: "unread", label: "unread", leaf: { field: "unread", op: "is", value: true } },
  { key: "answered", label: "answered", leaf: { field: "answered", op: "is", value: true } },
  { key: "needs_reply", label: "need a reply", leaf: { field: "needs reply", op: "is", value: true } },
];

interface FiguresProps {
  counts: Counts | undefined;
  tree: Tree;
  onTree: (tree: Tree) => void;
}

/** Figures that filter in one click and come off in one. */
export function Figures({ counts, tree, onTree }: FiguresProps) {
  const { parts, joined } = partsOf(tree);
  const all = joined === "all" ? parts : [tree];
  return (
    <>
      {FIGURES.map((figure) => {
        const words = JSON.stringify(figure.leaf);
        const isOn = all.some((part) => isLeaf(part) && JSON.stringify(part) === words);
        const count = counts?.[figure.key] ?? 0;
        return (
          <button
            key={figure.key}
            type="button"
            aria-pressed={isOn}
            onClick={() => onTree({ all: isOn ? all.filter((part) => JSON.stringify(part) !== words) : [...all, figure.leaf] })}
            className={`min-h-[24px] border-b border-dotted ${isOn ? "border-ink bg-crown-2" : "border-ink-3"} ${figure.key === "late" && count > 0 ? "text-rust" : "text-ink-2"}`}
          >
            <b className="text-[17px]">{count.toLocaleString("en-GB")}</b> {figure.label}
          </button>
        );
      })}
    </>
  );
}
