import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import { api, type FieldAbout, ok } from "../../api/client";
import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import { cardClass, triggerClass } from "../../parts/condition/LeafWords";
import { isMeant } from "../../parts/condition/words";
import { useDebounced } from "../../parts/hooks";
import type { Sort } from "../../parts/list/types";
import { Button, inputClass } from "../../parts/ui";
import type { ListState } from "./state";

const NO_FIELDS: FieldAbout[] = [];

export function useFields(): FieldAbout[] {
  const { data } = useQuery({ queryKey: ["fields"], queryFn: () => ok(api.GET("/api/fields")), staleTime: 300_000 });
  return data ?? NO_FIELDS;
}

interface SentenceFilterProps {
  state: ListState;
  onChange: (state: ListState, replace?: boolean) => void;
}

/** A filter that reads as a sentence; each underlined part opens its own choices. */
export function SentenceFilter({ state, onChange }: SentenceFilterProps) {
  const fields = useFields();
  const asked = fields.filter((field) => field.type !== "words");
  const isAll = "all" in state.tree && state.tree.all.length === 0;
  return (
    <div className="flex flex-wrap items-start gap-x-4 gap-y-1">
      <p className="min-w-0 flex-1 basis-[480px] text-[17px] leading-[31px]">
        <span>{isAll ? "" : "Everything where "}</span>
        <ConditionSentence
          fields={asked}
          tree={state.tree}
          always="Everything"
          first="+ where…"
          onChange={(tree) => onChange({ ...state, tree })}
        />
        , by <SortWords state={state} fields={asked} onChange={onChange} />
        {state.group ? (
          <>
            , grouped by <GroupWords state={state} fields={asked} onChange={onChange} />
          </>
        ) : null}
      </p>
      <WordsInput value={state.words} onChange={(words) => onChange({ ...state, words }, true)} />
    </div>
  );
}

/** Full-text words; they narrow the sentence while they are typed. */
function WordsInput({ value, onChange }: { value: string; onChange: (words: string) => void }) {
  const [text, setText] = useState(value);
  const late = useDebounced(text, 250);
  const told = useRef(value);
  useEffect(() => {
    if (value !== told.current) {
      told.current = value;
      setText(value);
    }
  }, [value]);
  useEffect(() => {
    if (late !== told.current) {
      told.current = late;
      onChange(late);
    }
    // Only a pause in typing is told.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [late]);
  return (
    <input
      id="queue-words"
      type="search"
      aria-label="Words in title or conversation"
      placeholder="Words in title or conversation  ( / )"
      className={`${inputClass} !w-[270px] max-[600px]:!w-full`}
      value={text}
      onChange={(event) => setText(event.target.value)}
      onKeyDown={(event) => {
        if (event.key !== "Escape") return;
        // A browser empties a search field on Escape; here it only leaves it.
        event.preventDefault();
        event.currentTarget.blur();
      }}
    />
  );
}

function sortWords(sort: Sort, fields: FieldAbout[]): string {
  const field = fields.find((candidate) => candidate.name === sort.name);
  if (sort.name === "turn") return sort.isDown ? "what can wait longest first" : "what comes next";
  if (sort.name === "due") return sort.isDown ? "due, latest first" : "due, soonest first";
  const label = field?.label ?? sort.name;
  if (field?.type === "instant") return `${label}, ${sort.isDown ? "latest" : "earliest"} first`;
  if (field?.type === "number" || field?.type === "yes/no") return `${label}, ${sort.isDown ? "greatest" : "least"} first`;
  return `${label}${sort.isDown ? ", from Z" : ""}`;
}

function SortWords({ state, fields, onChange }: SentenceFilterProps & { fields: FieldAbout[] }) {
  const [isOpen, setOpen] = useState(false);
  const [search, setSearch] = useState("");
  const set = (sorts: Sort[]) => onChange({ ...state, sorts: sorts.length > 0 ? sorts : [{ name: "turn", isDown: false }] });
  const used = new Set(state.sorts.map((sort) => sort.name));
  const turn = { name: "turn", label: "what comes next", synonyms: ["order of work", "overdue", "urgent", "SLA"] };
  // Nothing after the order of work would decide anything.
  const isWhole = state.sorts.at(-1)?.name === "turn";
  const found = [turn, ...fields.filter((field) => field.sortable)].filter((field) => !used.has(field.name) && isMeant(field, search));
  const move = (at: number, step: number) => {
    const sorts = [...state.sorts];
    const [taken] = sorts.splice(at, 1);
    if (taken) sorts.splice(at + step, 0, taken);
    set(sorts);
  };
  return (
    <Popover.Root open={isOpen} onOpenChange={setOpen}>
      <Popover.Trigger className={triggerClass}>{state.sorts.map((sort) => sortWords(sort, fields)).join("; then ")}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={4} collisionPadding={12} className={cardClass} aria-label="Order">
          <ol>
            {state.sorts.map((sort, at) => (
              <li key={sort.name} className="flex items-center gap-1 py-0.5">
                <span className="w-5 font-mono text-ink-2">{at + 1}</span>
                <button
                  type="button"
                  className="why min-h-[24px] flex-1 text-left"
                  onClick={() => set(state.sorts.map((old, n) => (n === at ? { ...old, isDown: !old.isDown } : old)))}
                >
                  {sortWords(sort, fields)}
                </button>
                <button
                  type="button"
                  disabled={at === 0}
                  aria-label={`${sort.name}: order by it earlier`}
                  className="min-h-[24px] min-w-[24px] disabled:opacity-30"
                  onClick={() => move(at, -1)}
                >
                  ↑
                </button>
                <button
                  type="button"
                  aria-label={`${sort.name}: do not order by it`}
                  className="min-h-[24px] min-w-[24px]"
                  onClick={() => set(state.sorts.filter((_, n) => n !== at))}
                >
                  ×
                </button>
              </li>
            ))}
          </ol>
          {state.sorts.length < 5 ? (
            <>
              <input
                aria-label="Order by as well"
                placeholder={isWhole ? "by something else…" : "then by…"}
                className={`${inputClass} mb-1 mt-2`}
                value={search}
                onChange={(event) => setSearch(event.target.value)}
              />
              <ul className="max-h-44 overflow-y-auto">
                {found.map((field) => (
                  <li key={field.name}>
                    <button
                      type="button"
                      className="w-full rounded px-2 py-1 text-left hover:bg-sea-3"
                      onClick={() => {
                        const added = { name: field.name, isDown: false };
                        set(isWhole ? [...state.sorts.slice(0, -1), added] : [...state.sorts, added]);
                        setSearch("");
                      }}
                    >
                      {field.label}
                    </button>
                  </li>
                ))}
              </ul>
            </>
          ) : null}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

export function GroupWords({ state, fields, onChange }: SentenceFilterProps & { fields: FieldAbout[] }) {
  const label = fields.find((field) => field.name === state.group)?.label;
  return (
    <Popover.Root>
      <Popover.Trigger
        className={
          state.group
            ? triggerClass
            : "inline-flex h-[30px] items-center rounded-small border border-line bg-sheet px-2.5 font-semibold hover:border-line-2"
        }
      >
        {label ?? "Group…"}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={4} collisionPadding={12} className={cardClass} aria-label="Group by">
          <ul className="max-h-72 overflow-y-auto">
            {[
              { name: "", label: "no groups" },
              ...fields.filter((field) => field.groupable || (field.type === "instant" && field.sortable)),
            ].map((field) => (
              <li key={field.name}>
                <Popover.Close
                  className={`w-full rounded px-2 py-1 text-left hover:bg-sea-3 ${field.name === state.group ? "font-bold" : ""}`}
                  onClick={() => onChange({ ...state, group: field.name })}
                >
                  {field.label}
                </Popover.Close>
              </li>
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Which columns, in which order. */
export function ColumnsButton({ state, onChange, children }: SentenceFilterProps & { children?: React.ReactNode }) {
  const fields = useFields();
  const [search, setSearch] = useState("");
  const chosen = new Set(state.columns);
  const set = (columns: string[]) => onChange({ ...state, columns });
  const label = (name: string) =>
    name === "horizon" ? "the horizon" : name === "age" ? "age" : (fields.find((field) => field.name === name)?.label ?? name);
  const more = [
    { name: "horizon", label: "the horizon", synonyms: ["time", "due"] },
    { name: "age", label: "age", synonyms: ["old", "opened", "since"] },
    ...fields.filter((field) => field.columnable && !["number", "title", "priority", "due"].includes(field.name)),
  ];
  const move = (at: number, step: number) => {
    const columns = [...state.columns];
    const [taken] = columns.splice(at, 1);
    if (taken) columns.splice(Math.max(0, at + step), 0, taken);
    set(columns);
  };
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button>Columns…</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={4} collisionPadding={12} className={cardClass} aria-label="Columns">
          {children}
          <p className="mb-1 text-[13px] text-ink-2">Priority, number and title are always there.</p>
          <ul className="mb-2 border-b border-line pb-2">
            {state.columns.map((name, at) => (
              <li key={name} className="flex items-center gap-1">
                <span className="flex-1 truncate">{label(name)}</span>
                <button
                  type="button"
                  disabled={at === 0}
                  aria-label={`${label(name)} further left`}
                  className="min-h-[24px] min-w-[24px] disabled:opacity-30"
                  onClick={() => move(at, -1)}
                >
                  ←
                </button>
                <button
                  type="button"
                  disabled={at === state.columns.length - 1}
                  aria-label={`${label(name)} further right`}
                  className="min-h-[24px] min-w-[24px] disabled:opacity-30"
                  onClick={() => move(at, 1)}
                >
                  →
                </button>
                <button
                  type="button"
                  aria-label={`Remove ${label(name)}`}
                  className="min-h-[24px] min-w-[24px]"
                  onClick={() => set(state.columns.filter((other) => other !== name))}
                >
                  ×
                </button>
              </li>
            ))}
          </ul>
          <input
            aria-label="Search the columns"
            placeholder="Add…"
            className={`${inputClass} mb-1`}
            value={search}
            onChange={(event) => setSearch(event.target.value)}
          />
          <ul className="max-h-44 overflow-y-auto">
            {more
              .filter((field) => !chosen.has(field.name) && isMeant(field, search))
              .map((field) => (
                <li key={field.name}>
                  <button
                    type="button"
                    className="w-full rounded px-2 py-1 text-left hover:bg-sea-3"
                    onClick={() => set([...state.columns, field.name])}
                  >
                    {field.label}
                  </button>
                </li>
              ))}
          </ul>
          {Object.keys(state.widths).length > 0 ? (
            <Button tone="quiet" onClick={() => onChange({ ...state, widths: {} })}>
              Widths as they were
            </Button>
          ) : null}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
