import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState } from "react";
import { api, type FieldAbout, ok } from "../../api/client";
import { AddLeaf, cardClass, LeafWords, triggerClass } from "../../parts/condition/LeafWords";
import type { Leaf } from "../../parts/condition/tree";
import { type ListState, SORTS } from "./filter";

export function useFields(): FieldAbout[] {
  const { data } = useQuery({ queryKey: ["fields"], queryFn: () => ok(api.GET("/api/fields")), staleTime: 300_000 });
  return data ?? [];
}

interface SentenceFilterProps {
  state: ListState;
  onChange: (state: ListState) => void;
}

/** A filter that reads as a sentence; each underlined part opens its own choices. */
export function SentenceFilter({ state, onChange }: SentenceFilterProps) {
  const fields = useFields();
  const setLeaf = (index: number, leaf: Leaf | null) =>
    onChange({
      ...state,
      leaves: leaf ? state.leaves.map((old, at) => (at === index ? leaf : old)) : state.leaves.filter((_, at) => at !== index),
    });
  return (
    <p className="text-[17px] leading-[31px]">
      <span>Incidents</span>
      {state.leaves.map((leaf, index) => (
        <span key={index}>
          {" "}
          {index === 0 ? "where" : "and"}{" "}
          <LeafWords fields={fields} leaf={leaf} onChange={(next) => setLeaf(index, next)} />
        </span>
      ))}{" "}
      <AddLeaf
        fields={fields}
        isFirst={state.leaves.length === 0}
        onAdd={(leaf) => onChange({ ...state, leaves: [...state.leaves, leaf] })}
      />
      , by{" "}
      <SortWords state={state} onChange={onChange} />
    </p>
  );
}

function SortWords({ state, onChange }: SentenceFilterProps) {
  const [isOpen, setOpen] = useState(false);
  return (
    <Popover.Root open={isOpen} onOpenChange={setOpen}>
      <Popover.Trigger className={triggerClass}>
        {SORTS[state.sort]}
        {state.sort === "due" ? (state.descending ? ", latest first" : ", soonest first") : state.descending ? ", greatest first" : ", least first"}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={4} className={cardClass} aria-label="Order">
          {Object.entries(SORTS).map(([key, label]) => (
            <label key={key} className="flex items-center gap-2 py-0.5">
              <input type="radio" name="sort" checked={state.sort === key} onChange={() => onChange({ ...state, sort: key })} />
              {label}
            </label>
          ))}
          <label className="mt-2 flex items-center gap-2 border-t border-line pt-2">
            <input type="checkbox" checked={state.descending} onChange={(event) => onChange({ ...state, descending: event.target.checked })} />
            the other way round
          </label>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
