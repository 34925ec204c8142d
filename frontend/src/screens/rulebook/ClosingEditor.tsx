import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import type { Tree } from "../../parts/condition/tree";
import { type Calendar, fieldsOf, useBook, useEntry } from "./data";
import { entriesOf } from "./edits";
import { EditState, Part, PickOne, smallInput, SpanInput, TextInput } from "./parts";

interface Closing {
  calendar: string;
  after_seconds: number;
  when_tasks_done?: boolean;
  least_words?: number;
  conditions?: { stage: string; if: Tree; says: string }[];
}

export function ClosingEditor() {
  const { document, words } = useBook();
  const editing = useEntry<Closing>("closing", "", document.closing as Closing);
  const closing = editing.value;
  const conditions = closing.conditions ?? [];
  const set = (change: Partial<Closing>) => editing.set({ ...closing, ...change });
  const replace = (index: number, change: Partial<(typeof conditions)[number]>) =>
    set({ conditions: conditions.map((old, at) => (at === index ? { ...old, ...change } : old)) });
  return (
    <>
      <EditState editing={editing} />
      <p className="text-[16px] leading-8">
        A resolved ticket closes by itself after{" "}
        <SpanInput label="Closes after" seconds={closing.after_seconds} onChange={(seconds) => set({ after_seconds: seconds ?? 3600 })} />{" "}
        on{" "}
        <PickOne
          label="Calendar"
          options={entriesOf<Calendar>(document, "calendars").map(({ key, name }) => ({ key, name }))}
          value={closing.calendar}
          onChange={(calendar) => set({ calendar })}
        />
        .
        <label className="mt-2 flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={closing.when_tasks_done === true}
            onChange={(event) => set({ when_tasks_done: event.target.checked })}
          />
          A ticket resolves by itself when the last of its tasks is done, if the conditions below hold
        </label>
      </p>
      <Part
        title="Before it can be resolved"
        aside={
          <button
            type="button"
            className="why text-ink-2"
            onClick={() =>
              set({
                conditions: [
                  ...conditions,
                  { stage: "resolving", if: { field: "service", op: "is filled" }, says: "Say which service it was first." },
                ],
              })
            }
          >
            add a condition
          </button>
        }
      >
        <p className="text-[16px] leading-8">
          Whoever resolves says what was done in at least{" "}
          <input
            type="number"
            aria-label="Least words of a resolution"
            min={1}
            max={50}
            className={`${smallInput} w-[64px]`}
            value={closing.least_words ?? 1}
            onChange={(event) => set({ least_words: Math.min(50, Math.max(1, Math.round(+event.target.value) || 1)) })}
          />{" "}
          {(closing.least_words ?? 1) === 1 ? "word" : "words"}.
        </p>
        {conditions.length === 0 ? <p className="text-ink-2">Nothing else is needed.</p> : null}
        <ul className="flex flex-col gap-2">
          {conditions.map((entry, index) => (
            <li key={index} className="rounded-small border border-line px-3 py-2">
              <p className="leading-7">
                it must hold that{" "}
                <ConditionSentence
                  fields={fieldsOf(words)}
                  tree={entry.if}
                  always="anything"
                  onChange={(tree) => replace(index, { if: tree })}
                />
              </p>
              <p className="mt-1 flex items-center gap-2">
                else say{" "}
                <TextInput
                  label="What is said"
                  className={`${smallInput} flex-1`}
                  value={entry.says}
                  onChange={(says) => replace(index, { says })}
                />
                <button
                  type="button"
                  aria-label="Remove the condition"
                  className="min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
                  onClick={() => set({ conditions: conditions.filter((_, at) => at !== index) })}
                >
                  ×
                </button>
              </p>
            </li>
          ))}
        </ul>
      </Part>
    </>
  );
}
