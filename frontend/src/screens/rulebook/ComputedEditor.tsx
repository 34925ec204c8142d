import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { Finder } from "../../parts/Finder";
import { useDebounced, useNow } from "../../parts/hooks";
import { when } from "../../parts/time";
import { ErrorNote, Loading } from "../../parts/ui";
import { type Calendar, type Entry, NEEDLE, useBook, useEntry } from "./data";
import { entriesOf } from "./edits";
import { cutAt, fieldText, FUNCTIONS, functionText, inserted, needsCalendar, SIGNS } from "./expression";
import { EditState, Part, PickOne, smallInput, TextInput } from "./parts";
import type { SectionSpec } from "./section/spec";

interface ComputedField extends Entry {
  label: string;
  expression: string;
  calendar?: string;
  hint?: string;
}

type Tried = components["schemas"]["TriedExpressionShape"];
type Value = components["schemas"]["ReadValueShape"];

export const computed: SectionSpec<ComputedField> = {
  section: "computed",
  title: "Computed fields",
  one: "computed field",
  about: "A field that is worked out from others whenever it is looked at. It is there in lists, filters, reports and exports.",
  nameOf: (one) => one.label,
  renamed: (one, label) => ({ ...one, label }),
  wordsOf: (one) => `${one.hint ?? ""} ${one.expression}`,
  freshName: "new computed field",
  keyJoiner: "_",
  taken: ({ words }) => [...words.form_fields.map((one) => one.key), ...words.fields.map((one) => one.name)],
  columns: [
    { label: "expression", of: (one) => one.expression },
    { label: "hint", of: (one) => one.hint ?? "" },
  ],
  bulk: [],
  fresh: [
    {
      label: "New computed field",
      make: (key) => ({ key, label: "New computed field", expression: "hours between(opened, if empty(resolved, now))" }),
    },
  ],
  Editor: ComputedEditor,
};

const TYPE_WORDS: Record<string, string> = { number: "a number", text: "a text", "yes/no": "yes or no", instant: "a moment" };

function ComputedEditor({ stored }: { stored: ComputedField }) {
  const { document } = useBook();
  const editing = useEntry<ComputedField>("computed", stored.key, stored);
  const field = editing.value;
  const set = (change: Partial<ComputedField>) => editing.set({ ...field, ...change });
  const calendars = entriesOf<Calendar>(document, "calendars").map(({ key, name }) => ({ key, name }));
  const late = useDebounced(JSON.stringify([field.expression, field.calendar ?? ""]), 300);
  const tried = useQuery({
    queryKey: [...NEEDLE, "computed", late],
    queryFn: () => {
      const [expression = "", calendar = ""] = JSON.parse(late) as string[];
      return ok(api.POST("/api/rulebook/computed/try", { body: { of: "draft", expression, calendar } }));
    },
    retry: false,
    placeholderData: (old) => old,
  });
  return (
    <div>
      <EditState editing={editing} />
      <div className="flex flex-wrap items-center gap-2">
        <TextInput
          label="Name of the computed field"
          isName
          className={`${smallInput} w-60 font-bold`}
          value={field.label}
          onChange={(label) => set({ label })}
        />
        <TextInput
          label="Hint of the computed field"
          placeholder="hint"
          className={`${smallInput} min-w-0 flex-1`}
          value={field.hint ?? ""}
          onChange={(hint) => set({ hint })}
        />
      </div>
      <Expression value={field.expression} onChange={(expression) => set({ expression })} />
      {needsCalendar(field.expression) || field.calendar ? (
        <p className="mt-2">
          Service hours are those of{" "}
          <PickOne
            label="Calendar of its service hours"
            options={calendars}
            value={field.calendar ?? ""}
            placeholder="choose a calendar"
            onChange={(calendar) => set({ calendar })}
          />
          .
        </p>
      ) : null}
      {tried.error ? <ErrorNote>{sentence(tried.error)}</ErrorNote> : null}
      {tried.isPending ? <Loading what="what it says" /> : null}
      {tried.data ? <Outcome expression={(JSON.parse(late) as string[])[0] ?? ""} tried={tried.data} /> : null}
    </div>
  );
}

function Expression({ value, onChange }: { value: string; onChange: (value: string) => void }) {
  const area = useRef<HTMLTextAreaElement>(null);
  const [typed, setTyped] = useState("");
  const fields = useQuery({
    queryKey: [...NEEDLE, "readable-fields"],
    queryFn: () => ok(api.GET("/api/rulebook/computed/fields")),
  });
  const put = (piece: string) => {
    const box = area.current;
    const made = inserted(value, box?.selectionStart ?? value.length, box?.selectionEnd ?? value.length, piece);
    onChange(made.text);
    requestAnimationFrame(() => {
      box?.focus();
      box?.setSelectionRange(made.at, made.at);
    });
  };
  const find = (words: string) => {
    const wanted = words.toLowerCase();
    const every = (fields.data ?? []).map((one, id) => ({ id, name: one.label, note: `${one.type}, [${one.name}]` }));
    return Promise.resolve(every.filter((one) => `${one.name} ${one.note}`.toLowerCase().includes(wanted)).slice(0, 9));
  };
  return (
    <>
      <label className="mt-3 block text-ink-2">
        Expression
        <textarea
          ref={area}
          rows={3}
          maxLength={2000}
          spellCheck={false}
          className={`${smallInput} w-full py-1 font-mono text-[14px] text-ink`}
          value={value}
          onChange={(event) => onChange(event.target.value)}
        />
      </label>
      <div className="mt-1.5 flex flex-wrap items-center gap-x-3 gap-y-1">
        <div className="w-[260px]">
          <Finder
            props={{ "aria-label": "Put in a field" }}
            what="fields for an expression"
            find={find}
            nothing="No field is called that."
            name={typed}
            hint="Put in a field: part of its name"
            onName={setTyped}
            onPick={(found) => {
              setTyped("");
              const one = fields.data?.[found.id];
              if (one) put(fieldText(one.name));
            }}
          />
        </div>
        <span className="flex flex-wrap gap-1" role="group" aria-label="Signs">
          {SIGNS.map((sign) => (
            <button
              key={sign}
              type="button"
              className="min-h-[26px] min-w-[26px] rounded-small border border-line-2 bg-sheet hover:bg-sea-3"
              onClick={() => put(sign)}
            >
              {sign}
            </button>
          ))}
        </span>
        <span className="flex flex-wrap gap-x-3" role="group" aria-label="Functions">
          {FUNCTIONS.map((name) => (
            <button key={name} type="button" className="why min-h-[24px] text-ink-2" onClick={() => put(functionText(name))}>
              {name}
            </button>
          ))}
          <button type="button" className="why min-h-[24px] text-ink-2" onClick={() => put("now")}>
            now
          </button>
        </span>
      </div>
    </>
  );
}

function Outcome({ expression, tried }: { expression: string; tried: Tried }) {
  if (tried.error) {
    const cut = tried.at === null ? null : cutAt(expression, tried.at);
    return (
      <div className="mt-3 rounded-card border border-rust/30 bg-rust-2 px-3 py-2" role="status">
        <p className="text-rust">{tried.error.charAt(0).toUpperCase() + tried.error.slice(1)}.</p>
        {cut ? (
          <p className="mt-1 whitespace-pre-wrap break-words font-mono text-[14px]">
            {cut[0]}
            <mark className="bg-transparent font-bold text-rust underline decoration-wavy">{cut[1] || " "}</mark>
            {cut[2]}
          </p>
        ) : null}
      </div>
    );
  }
  return (
    <Part title={`It is ${TYPE_WORDS[tried.type ?? ""] ?? "a value"}`}>
      <p className="text-ink-2" role="status">
        {tried.tried === 0
          ? "There is no record yet to try it on."
          : `Of the ${tried.tried} records changed last, ${tried.filled === tried.tried ? "each has" : `${tried.filled} have`} one.`}
      </p>
      {tried.examples.length > 0 ? (
        <table className="mt-2 w-full">
          <thead>
            <tr className="text-left text-[13px] text-ink-2">
              <th className="py-1 font-normal">record</th>
              <th className="py-1 font-normal">what it reads</th>
              <th className="py-1 text-right font-normal">what it says</th>
            </tr>
          </thead>
          <tbody>
            {tried.examples.map((one) => (
              <tr key={one.number} className="border-t border-line align-baseline">
                <td className="max-w-[240px] truncate py-1.5 pr-3">
                  <span className="text-ink-2">
                    {one.mark}
                    {one.number}
                  </span>{" "}
                  {one.title}
                </td>
                <td className="py-1.5 pr-3 text-[14px] text-ink-2">
                  {one.reads.map((value, index) => (
                    <span key={value.label}>
                      {index > 0 ? " · " : ""}
                      {value.label} <Shown value={value} />
                    </span>
                  ))}
                </td>
                <td className="py-1.5 text-right font-bold tabular-nums">
                  <Shown value={one.value} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : null}
    </Part>
  );
}

function Shown({ value }: { value: Value }) {
  const now = useNow();
  if (value.at_s !== null) return <span className="text-ink">{when(value.at_s, now)}</span>;
  return value.text ? <span className="text-ink">{value.text}</span> : <span className="font-normal text-ink-2">empty</span>;
}
