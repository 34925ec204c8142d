import { type Book, type Entry, useBook, useEdit, useEntry } from "../data";
import { EditState, options, PickMany, PickOne, smallInput, TextInput } from "../parts";
import { useSearchParams } from "react-router";
import { useState } from "react";
import { toast } from "sonner";
import { entriesOf } from "../edits";
import type { SectionSpec } from "./spec";

export type Plain = Entry & Record<string, unknown>;

interface Property {
  name: string;
  label: string;
  /** How it is edited: text, one of some choices, or several. */
  choices?: (book: Book) => string[];
  isMany?: boolean;
  placeholder?: string;
  width?: string;
}

interface RowSection {
  section: string;
  title: string;
  one: string;
  about: string;
  /** The property that it is called by; `key` where it is its own name. */
  named: string;
  properties: Property[];
  fresh: (key: string) => Plain;
  isOrdered?: boolean;
  below?: SectionSpec<Plain>["below"];
}

const textOf = (value: unknown) => (Array.isArray(value) ? value.join(", ") : String((value as string | undefined) ?? ""));

/** A section whose entries are a name and a few properties. */
export function rowSection({ named, properties, fresh, ...rest }: RowSection): SectionSpec<Plain> {
  const nameOf = (one: Plain) => textOf(one[named]) || one.key;
  return {
    ...rest,
    nameOf,
    renamed: (one, name) => (named === "key" ? { ...one, key: name } : { ...one, [named]: name }),
    freshName: `new ${rest.one}`,
    columns: properties
      .filter((one) => one.name !== named)
      .map((property) => ({ label: property.label, of: (one) => textOf(one[property.name]) || (property.placeholder ?? "") })),
    bulk: properties
      .filter((one) => one.choices && !one.isMany && one.name !== named)
      .map(({ name, label, choices }) => ({ name, label, choices: (book) => options(choices?.(book) ?? []) })),
    fresh: [{ label: `New ${rest.one}`, make: (key) => fresh(named === "key" ? sentenceCase(key) : key) }],
    Editor: ({ stored }) => <Properties section={rest.section} one={rest.one} named={named} properties={properties} stored={stored} />,
  };
}

const sentenceCase = (key: string) => key.replaceAll("-", " ").replace(/^./, (letter) => letter.toUpperCase());

interface PropertiesProps {
  section: string;
  one: string;
  named: string;
  properties: Property[];
  stored: Plain;
}

function Properties({ section, one, named, properties, stored }: PropertiesProps) {
  const book = useBook();
  const editing = useEntry<Plain>(section, stored.key, stored);
  const entry = editing.value;
  const set = (name: string, value: unknown) => editing.set({ ...entry, [name]: value });
  return (
    <>
      <EditState editing={editing} />
      <dl className="grid max-w-[560px] grid-cols-[170px_minmax(0,1fr)] items-baseline gap-x-3 gap-y-2">
        {named === "key" ? (
          <>
            <dt className="text-ink-2">name</dt>
            <dd>
              <OwnName section={section} one={one} stored={stored} />
            </dd>
          </>
        ) : null}
        {properties
          .filter((property) => property.name !== "key")
          .map((property) => {
            const { name, label, placeholder } = property;
            const value = entry[name];
            const said = name === named ? "Name" : label;
            return (
              <div key={name} className="contents">
                <dt className="text-ink-2">{name === named ? "name" : label}</dt>
                <dd>
                  {property.isMany ? (
                    <PickMany
                      label={said}
                      placeholder={placeholder ?? "nothing"}
                      options={options(property.choices?.(book) ?? [])}
                      value={(value as string[] | undefined) ?? []}
                      onChange={(next) => set(name, next)}
                    />
                  ) : property.choices ? (
                    <PickOne
                      label={said}
                      placeholder={placeholder ?? "nothing"}
                      options={options(property.choices(book))}
                      value={(value as string | undefined) ?? ""}
                      onChange={(next) => set(name, next)}
                    />
                  ) : (
                    <TextInput
                      label={said}
                      isName={name === named}
                      className={`${smallInput} ${property.width ?? "w-full"} ${name === named ? "font-bold" : ""}`}
                      value={textOf(value)}
                      onChange={(text) => set(name, Array.isArray(value) ? wordsOf(text) : text)}
                    />
                  )}
                </dd>
              </div>
            );
          })}
      </dl>
    </>
  );
}

const wordsOf = (text: string) =>
  text
    .split(",")
    .map((part) => part.trim())
    .filter(Boolean);

/** A name that others write down: renaming it renames it wherever the draft says it. */
export function OwnName({ section, one, stored }: { section: string; one: string; stored: Plain }) {
  const { document } = useBook();
  const edit = useEdit();
  const [, setParams] = useSearchParams();
  const [text, setText] = useState(stored.key);
  const rename = () => {
    const name = text.trim();
    if (name === stored.key) return;
    const isTaken = entriesOf(document, section).some((entry) => entry.key === name);
    if (!name || isTaken) {
      toast.error(name ? `There is a ${one} of this name already.` : `A ${one} has a name.`);
      setText(stored.key);
      return;
    }
    edit.mutate(
      { section, key: stored.key, before: stored, after: { ...stored, key: name }, is_rename: true },
      { onSuccess: () => setParams({ open: name }, { replace: true }) },
    );
  };
  return (
    <input
      data-name
      aria-label="Name"
      className={`${smallInput} w-full font-bold`}
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={rename}
      onKeyDown={(event) => {
        if (event.key === "Enter") rename();
        if (event.key === "Escape") setText(stored.key);
      }}
    />
  );
}
