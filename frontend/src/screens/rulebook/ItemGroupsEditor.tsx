import { useState } from "react";
import { api, ok } from "../../api/client";
import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import type { Tree } from "../../parts/condition/tree";
import { Finder } from "../../parts/Finder";
import { NamedItem } from "./ChangeTemplatesEditor";
import type { Entry } from "./data";
import { fieldsOf, useBook, useEntry } from "./data";
import { EditState, Part, TextInput } from "./parts";
import type { SectionSpec } from "./section/spec";

interface ItemGroup extends Entry {
  name: string;
  items?: string[];
  if?: Tree | null;
}

const OF_ITEM = /^ci\.(?!group$)/;

export const itemGroups: SectionSpec<ItemGroup> = {
  section: "item_groups",
  title: "Groups of items",
  one: "group of items",
  about: "Items gathered by hand or by a condition, which is asked anew each time. A group can be named wherever a condition is written.",
  nameOf: (one) => one.name,
  renamed: (one, name) => ({ ...one, name }),
  columns: [
    { label: "by hand", of: (one) => String(one.items?.length ?? 0) },
    { label: "by condition", of: (one) => (one.if ? "yes" : "no") },
  ],
  bulk: [],
  freshName: "new group",
  fresh: [{ label: "New group of items", make: (key) => ({ key, name: "New group", if: null, items: [] }) }],
  Editor: ItemGroupEditor,
};

function ItemGroupEditor({ stored }: { stored: ItemGroup }) {
  const { words } = useBook();
  const editing = useEntry<ItemGroup>("item_groups", stored.key, stored);
  const group = editing.value;
  const set = (change: Partial<ItemGroup>) => editing.set({ ...group, ...change });
  const items = group.items ?? [];
  const fields = fieldsOf(words).filter((field) => OF_ITEM.test(field.name));
  const [typed, setTyped] = useState("");
  return (
    <>
      <EditState editing={editing} />
      <label className="flex items-baseline gap-3">
        <span className="text-ink-2">name</span>
        <TextInput label="Name" isName value={group.name} onChange={(name) => set({ name })} />
      </label>
      <Part title="Every item of which it holds that">
        {group.if ? (
          <p className="text-[16px] leading-8">
            <ConditionSentence fields={fields} tree={group.if} always="anything" onChange={(tree) => set({ if: tree })} />{" "}
            <button type="button" className="why text-ink-2" onClick={() => set({ if: null })}>
              take the condition away
            </button>
          </p>
        ) : (
          <button
            type="button"
            className="why text-ink-2"
            onClick={() => set({ if: { all: [{ field: "ci.kind", op: "is", value: "" }] } })}
          >
            add a condition
          </button>
        )}
      </Part>
      <Part title="And these, by hand">
        <ul>
          {items.map((key) => (
            <li key={key} className="flex items-baseline gap-3 py-0.5">
              <NamedItem itemKey={key} />
              <button type="button" className="min-h-[24px] underline" onClick={() => set({ items: items.filter((one) => one !== key) })}>
                remove
              </button>
            </li>
          ))}
        </ul>
        <div className="max-w-[360px]">
          <Finder
            props={{ "aria-label": "Another item" }}
            what="items for a group"
            find={async (text) => {
              const found = await ok(api.GET("/api/estate/items", { params: { query: { words: text } } }));
              return found.rows.slice(0, 9).map((one) => ({ id: one.id, name: one.name, note: `${one.kind}, ${one.place}` }));
            }}
            nothing="No item is called that."
            name={typed}
            hint="Another item, by a part of its name"
            onName={setTyped}
            onPick={(found) => {
              setTyped("");
              void ok(api.GET("/api/estate/items/{number}", { params: { path: { number: found.id } } })).then((item) =>
                set({ items: [...items.filter((one) => one !== item.key), item.key] }),
              );
            }}
          />
        </div>
      </Part>
    </>
  );
}
