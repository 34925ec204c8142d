import type { FieldAbout } from "../../api/client";
import { AddLeaf, LeafWords } from "./LeafWords";
import { groupOf, isLeaf, partsOf, type Tree } from "./tree";

interface ConditionSentenceProps {
  fields: FieldAbout[];
  tree: Tree;
  onChange: (tree: Tree) => void;
  /** What is said when there is no condition: "always", "every ticket". */
  always: string;
  /** The words that begin a condition where there is none yet. */
  first?: string;
}

/** A condition that reads as a sentence whose words are the controls; groups nest. */
export function ConditionSentence({ first = "+ only when…", ...rest }: ConditionSentenceProps) {
  return <Group {...rest} first={first} depth={0} />;
}

function Group({ fields, tree, onChange, always, first = "+ only when…", depth }: ConditionSentenceProps & { depth: number }) {
  const { parts, joined } = partsOf(tree);
  const word = joined === "all" ? "and" : "or";
  const set = (next: Tree[]) => onChange(next.length === 0 ? { all: [] } : groupOf(next, joined));
  const replace = (index: number, part: Tree | null) =>
    set(part === null ? parts.filter((_, at) => at !== index) : parts.map((old, at) => (at === index ? part : old)));
  return (
    <span>
      {parts.length === 0 ? <span className="font-bold">{always} </span> : null}
      {parts.map((part, index) => (
        <span key={index}>
          {index > 0 ? (
            <>
              {" "}
              <button
                type="button"
                className="why px-0.5 text-ink-2"
                aria-label={`${word}: change to ${word === "and" ? "or" : "and"}`}
                onClick={() => onChange(joined === "all" ? { any: parts } : { all: parts })}
              >
                {word}
              </button>{" "}
            </>
          ) : null}
          <Part fields={fields} part={part} depth={depth} onChange={(next) => replace(index, next)} />
        </span>
      ))}{" "}
      <AddLeaf fields={fields} isFirst={parts.length === 0} first={first} next={`+ ${word}…`} onAdd={(leaf) => set([...parts, leaf])} />
      {depth < 2 && parts.length > 0 ? (
        <button
          type="button"
          className="ml-2 border-b-2 border-dashed border-line-2 text-ink-2 hover:text-ink"
          onClick={() => set([...parts, joined === "all" ? { any: [] } : { all: [] }])}
        >
          + ( … )
        </button>
      ) : null}
    </span>
  );
}

function Part({
  fields,
  part,
  depth,
  onChange,
}: {
  fields: FieldAbout[];
  part: Tree;
  depth: number;
  onChange: (part: Tree | null) => void;
}) {
  if (isLeaf(part)) return <LeafWords fields={fields} leaf={part} onChange={onChange} />;
  if ("not" in part)
    return (
      <span>
        <button type="button" className="why text-ink-2" aria-label="not: remove" onClick={() => onChange(part.not)}>
          not
        </button>{" "}
        (<Part fields={fields} part={part.not} depth={depth + 1} onChange={(next) => onChange(next === null ? null : { not: next })} />)
      </span>
    );
  return (
    <span className="rounded bg-sea-3 px-1">
      (
      <Group fields={fields} tree={part} depth={depth + 1} always="anything" onChange={onChange} />
      <button
        type="button"
        className="ml-1 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
        aria-label="Remove this group"
        onClick={() => onChange(null)}
      >
        ×
      </button>
      )
    </span>
  );
}
