import { AmountInput } from "../../parts/AmountInput";
import { type Entry, useBook, useEntry } from "./data";
import { entriesOf } from "./edits";
import { OfferPreview } from "./OfferPreview";
import { EditState, options, PickMany, PickOne, smallInput } from "./parts";
import { type Item, offers, OfferWords, tidy } from "./offers";
import type { SectionSpec } from "./section/spec";

export const items: SectionSpec<Item> = {
  section: "items",
  title: "Catalogue items",
  one: "catalogue item",
  about: "What people can request. Without a route it is pre-approved and goes straight to its team.",
  freshName: "New item",
  ...offers<Item>(),
  fresh: [
    {
      label: "New item",
      make: (key, { document }) => ({
        key,
        name: "New item",
        plain: "What it is for",
        group: entriesOf<Item>(document, "items")[0]?.group ?? "Things",
      }),
    },
  ],
  Editor: ItemEditor,
};

function Price({ label, pence, onChange }: { label: string; pence: number | undefined; onChange: (pence: number) => void }) {
  return (
    <span className="inline-block w-28 align-top">
      <AmountInput
        isMoney
        props={{ "aria-label": label }}
        className={`${smallInput} w-20`}
        value={(pence ?? 0) / 100}
        onChange={(amount) => onChange(Math.round((amount ?? 0) * 100))}
      />
    </span>
  );
}

function ItemEditor({ stored }: { stored: Item }) {
  const { document, words } = useBook();
  const editing = useEntry<Item>("items", stored.key, stored);
  const one = editing.value;
  const set = (change: Partial<Item>) => editing.set(tidy({ ...one, ...change }));
  return (
    <article>
      <EditState editing={editing} />
      <OfferWords one={one} set={set} />
      <p className="leading-8">
        It costs <Price label="Cost once" pence={one.once_pence} onChange={(once_pence) => set({ once_pence })} /> once and{" "}
        <Price label="Cost a month" pence={one.monthly_pence} onChange={(monthly_pence) => set({ monthly_pence })} /> a month, belongs to
        the service{" "}
        <PickOne
          label="Service"
          placeholder="none"
          options={[{ key: "", name: "none" }, ...options(words.services)]}
          value={one.service ?? ""}
          onChange={(service) => set({ service })}
        />
        , brings the tasks of{" "}
        <PickMany
          label="Task templates"
          placeholder="nothing"
          options={entriesOf<Entry & { name: string }>(document, "tasks").map(({ key, name }) => ({ key, name }))}
          value={one.tasks ?? []}
          onChange={(tasks) => set({ tasks })}
        />
        , and can be requested{" "}
        <PickOne
          label="Alone"
          options={[
            { key: "yes", name: "by itself" },
            { key: "no", name: "only in bundles" },
          ]}
          value={one.is_alone === false ? "no" : "yes"}
          onChange={(next) => set({ is_alone: next === "yes" })}
        />
        .
      </p>
      <OfferPreview offer={stored} />
    </article>
  );
}
