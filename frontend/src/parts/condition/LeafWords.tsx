import { grouped } from "./fieldGroups";
import { WhenInput } from "../WhenInput";
import { asText } from "../text";
import { Popover } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import type { FieldAbout } from "../../api/client";
import { serverNow } from "../hooks";
import { instantOfLocal, localInput, when } from "../time";
import { Button, inputClass } from "../ui";
import { isComplete, type Leaf, NO_VALUE } from "./tree";
import { isMeant, leafSentence, operatorWords, spanWords } from "./words";

const LISTS = ["is one of", "is none of"];
const HOUR = 3600;
const DAY = 86_400;
const SPANS = [HOUR, 4 * HOUR, DAY, 3 * DAY, 7 * DAY, 30 * DAY, 90 * DAY, 365 * DAY];

export const triggerClass = "border-b-2 border-crown font-bold hover:bg-crown-2/60";
export const cardClass = "z-40 w-[300px] rounded-card border border-line-2 bg-sheet p-3 text-[14px] leading-normal text-ink";

function aboutOf(fields: FieldAbout[], name: string): FieldAbout | undefined {
  return fields.find((field) => field.name === name);
}

function momentWords(value: unknown): string {
  const seconds = typeof value === "string" ? Date.parse(value) / 1000 : Number.NaN;
  return Number.isNaN(seconds) ? String(value) : when(seconds, serverNow());
}

interface LeafWordsProps {
  fields: FieldAbout[];
  leaf: Leaf;
  onChange: (leaf: Leaf | null) => void;
}

export function LeafWords({ fields, leaf, onChange }: LeafWordsProps) {
  const field = aboutOf(fields, leaf.field);
  const [isOpen, setOpen] = useState(() => !isComplete(leaf));
  return (
    <Popover.Root open={isOpen} onOpenChange={setOpen}>
      <Popover.Trigger className={triggerClass}>{leafSentence(leaf, field, momentWords)}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          collisionPadding={12}
          className={cardClass}
          aria-label={`Condition on ${field?.label ?? leaf.field}`}
        >
          {field ? <LeafEditor field={field} leaf={leaf} onChange={onChange} /> : <p>This list no longer knows “{leaf.field}”.</p>}
          <div className="mt-3 flex justify-between">
            <Button tone="quiet" onClick={() => onChange(null)}>
              Remove
            </Button>
            <Button onClick={() => setOpen(false)}>Done</Button>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function LeafEditor({ field, leaf, onChange }: { field: FieldAbout; leaf: Leaf; onChange: (leaf: Leaf) => void }) {
  const setOp = (op: string) => {
    const keepsValue = Array.isArray(leaf.value) === (LISTS.includes(op) || op === "between");
    onChange({ field: field.name, op, ...(NO_VALUE.includes(op) ? {} : { value: keepsValue ? leaf.value : undefined }) });
  };
  if (field.type === "yes/no" && !field.operators.includes("changed"))
    return (
      <fieldset>
        <legend className="mb-1 font-bold">{field.label}</legend>
        {[true, false].map((value) => (
          <label key={String(value)} className="mr-5 inline-flex items-center gap-1.5">
            <input type="radio" checked={leaf.value === value} onChange={() => onChange({ ...leaf, op: "is", value })} />
            {value ? "yes" : "no"}
          </label>
        ))}
      </fieldset>
    );
  return (
    <>
      <label className="flex items-center gap-2 font-bold">
        {field.label}
        <select className={`${inputClass} font-normal`} value={leaf.op} onChange={(event) => setOp(event.target.value)}>
          {field.operators.map((op) => (
            <option key={op} value={op}>
              {operatorWords(op, field.type)}
            </option>
          ))}
        </select>
      </label>
      <div className="mt-2">
        <ValueEditor field={field} leaf={leaf} onChange={onChange} />
      </div>
    </>
  );
}

function ValueEditor({ field, leaf, onChange }: { field: FieldAbout; leaf: Leaf; onChange: (leaf: Leaf) => void }) {
  const set = (value: unknown) => onChange({ ...leaf, value });
  if (NO_VALUE.includes(leaf.op)) return null;
  if (field.type === "yes/no")
    return (
      <select
        aria-label="Value"
        className={inputClass}
        value={leaf.value === undefined ? "" : leaf.value === true ? "yes" : "no"}
        onChange={(event) => set(event.target.value ? event.target.value === "yes" : undefined)}
      >
        <option value="">Choose…</option>
        <option>yes</option>
        <option>no</option>
      </select>
    );
  if (leaf.op === "in the last" || leaf.op === "in the next")
    return (
      <select aria-label="How long" className={inputClass} value={asText(leaf.value ?? "")} onChange={(event) => set(+event.target.value)}>
        <option value="">Choose…</option>
        {SPANS.map((seconds) => (
          <option key={seconds} value={seconds}>
            {spanWords(seconds)}
          </option>
        ))}
      </select>
    );
  if (leaf.op === "before" || leaf.op === "after")
    return (
      <WhenInput
        isDay
        props={{ "aria-label": "Date" }}
        value={typeof leaf.value === "string" ? localInput(Date.parse(leaf.value) / 1000).slice(0, 10) : ""}
        onChange={(day) => set(day ? new Date(instantOfLocal(day) * 1000).toISOString().replace(".000", "") : undefined)}
      />
    );
  if (LISTS.includes(leaf.op)) {
    if (field.choices.length > 0) return <Choices field={field} leaf={leaf} onChange={onChange} />;
    return <NamesInput label={field.label} leaf={leaf} onChange={onChange} />;
  }
  if (leaf.op === "between") {
    const [low, high] = Array.isArray(leaf.value) ? (leaf.value as unknown[]) : [];
    return (
      <div className="flex items-center gap-2">
        <input
          type="number"
          aria-label="From"
          className={inputClass}
          value={asText(low ?? "")}
          onChange={(event) => set([+event.target.value, high ?? +event.target.value])}
        />
        and
        <input
          type="number"
          aria-label="To"
          className={inputClass}
          value={asText(high ?? "")}
          onChange={(event) => set([low ?? 0, +event.target.value])}
        />
      </div>
    );
  }
  if (field.choices.length > 0 && !["contains", "starts with"].includes(leaf.op) && field.type !== "number")
    return (
      <select
        aria-label="Value"
        className={inputClass}
        value={asText(leaf.value ?? "")}
        onChange={(event) => set(event.target.value || undefined)}
      >
        <option value="">Choose…</option>
        {field.choices.map((choice) => (
          <option key={choice}>{choice}</option>
        ))}
      </select>
    );
  const isNumber = field.type === "number";
  return (
    <input
      type={isNumber ? "number" : field.type === "date" ? "date" : "text"}
      aria-label="Value"
      autoFocus
      className={inputClass}
      value={asText(leaf.value ?? "")}
      onChange={(event) => set(isNumber ? (event.target.value === "" ? undefined : +event.target.value) : event.target.value)}
    />
  );
}

function NamesInput({ label, leaf, onChange }: { label: string; leaf: Leaf; onChange: (leaf: Leaf) => void }) {
  const [text, setText] = useState(Array.isArray(leaf.value) ? (leaf.value as string[]).join(", ") : "");
  return (
    <input
      aria-label={`${label}: names, separated by commas`}
      placeholder="Full names, separated by commas"
      autoFocus
      className={inputClass}
      value={text}
      onChange={(event) => {
        setText(event.target.value);
        onChange({
          ...leaf,
          value: event.target.value
            .split(",")
            .map((name) => name.trim())
            .filter(Boolean),
        });
      }}
    />
  );
}

function Choices({ field, leaf, onChange }: { field: FieldAbout; leaf: Leaf; onChange: (leaf: Leaf) => void }) {
  const [search, setSearch] = useState("");
  const chosen = new Set(Array.isArray(leaf.value) ? (leaf.value as string[]) : []);
  const shown = field.choices.filter((choice) => choice.toLowerCase().includes(search.toLowerCase())).slice(0, 60);
  const flip = (choice: string) => {
    if (chosen.has(choice)) chosen.delete(choice);
    else chosen.add(choice);
    onChange({ ...leaf, value: [...chosen] });
  };
  return (
    <div>
      {field.choices.length > 8 ? (
        <input
          aria-label="Search the choices"
          placeholder="Search…"
          className={`${inputClass} mb-1.5`}
          value={search}
          onChange={(event) => setSearch(event.target.value)}
        />
      ) : null}
      <div className="max-h-56 overflow-y-auto">
        {shown.map((choice) => (
          <label key={choice} className="flex items-center gap-2 rounded px-1 py-0.5 hover:bg-sea-3">
            <input type="checkbox" checked={chosen.has(choice)} onChange={() => flip(choice)} />
            {choice}
          </label>
        ))}
        {shown.length === 0 ? <p className="text-ink-2">Nothing is called that.</p> : null}
      </div>
    </div>
  );
}

export function AddLeaf({
  fields,
  isFirst,
  onAdd,
  first = "+ where…",
  next = "+ and…",
}: {
  fields: FieldAbout[];
  isFirst: boolean;
  onAdd: (leaf: Leaf) => void;
  first?: string;
  next?: string;
}) {
  const [isOpen, setOpen] = useState(false);
  const [search, setSearch] = useState("");
  const hasAdded = useRef(false);
  const isEntered = useRef(false);
  const shown = fields.filter((field) => isMeant(field, search));
  // What was searched for comes first as it was found; all of them are grouped.
  const groups = search.trim() ? [{ name: "", fields: shown }] : grouped(shown);
  const add = (field: FieldAbout) => {
    hasAdded.current = true;
    setOpen(false);
    setSearch("");
    const op = field.operators[0] ?? "is";
    onAdd({ field: field.name, op, ...(field.type === "yes/no" ? { value: true } : {}) });
  };
  useEffect(() => {
    // Enter was pressed before the fields had arrived: it counts as soon as they are there.
    const first = groups[0]?.fields[0];
    if (!isEntered.current || !first) return;
    isEntered.current = false;
    add(first);
  });
  return (
    <Popover.Root
      open={isOpen}
      onOpenChange={(now) => {
        isEntered.current = false;
        setOpen(now);
      }}
    >
      <Popover.Trigger className="border-b-2 border-dashed border-line-2 text-ink-2 hover:text-ink">
        {isFirst ? first : next}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          collisionPadding={12}
          className={cardClass}
          aria-label="Add a condition"
          onCloseAutoFocus={(event) => {
            // The new condition opens at once; taking the focus back here would close it.
            if (hasAdded.current) event.preventDefault();
            hasAdded.current = false;
          }}
        >
          <input
            aria-label="Field"
            placeholder="Which field?"
            autoFocus
            className={`${inputClass} mb-1.5`}
            value={search}
            onChange={(event) => {
              isEntered.current = false;
              setSearch(event.target.value);
            }}
            onKeyDown={(event) => {
              const first = groups[0]?.fields[0];
              if (event.key === "Enter" && first) add(first);
              else if (event.key === "Enter") isEntered.current = fields.length === 0;
              if (event.key !== "ArrowDown") return;
              event.preventDefault();
              event.currentTarget.parentElement?.querySelector<HTMLElement>("ul button")?.focus();
            }}
          />
          <ul
            className="max-h-64 overflow-y-auto"
            onKeyDown={(event) => {
              const step = event.key === "ArrowDown" ? 1 : event.key === "ArrowUp" ? -1 : 0;
              if (!step) return;
              event.preventDefault();
              const all = [...event.currentTarget.querySelectorAll("button")];
              all[all.indexOf(event.target as HTMLButtonElement) + step]?.focus();
            }}
          >
            {groups.map((group) => (
              <li key={group.name}>
                {group.name ? <p className="px-2 pt-1 text-[13px] text-ink-2">{group.name}</p> : null}
                <ul>
                  {group.fields.map((field) => (
                    <li key={field.name}>
                      <button type="button" className="w-full rounded px-2 py-1 text-left hover:bg-sea-3" onClick={() => add(field)}>
                        {field.label}
                      </button>
                    </li>
                  ))}
                </ul>
              </li>
            ))}
            {shown.length === 0 ? <li className="px-2 py-1 text-ink-2">No field is called that.</li> : null}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
