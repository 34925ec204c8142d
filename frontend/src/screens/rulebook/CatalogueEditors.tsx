import { AmountInput } from "../../parts/AmountInput";
import { Button } from "../../parts/ui";
import { type Entry, useBook, useEdit, useEntry } from "./data";
import { entriesOf } from "./edits";
import { keyFrom } from "./edits";
import { OfferPreview } from "./OfferPreview";
import { EditState, options, PickMany, PickOne, smallInput } from "./parts";
import { type Item, tidy, useChosen, OfferWords } from "./offers";
import { EntryList } from "./EntryList";

export function ItemsEditor() {
  const { document } = useBook();
  const edit = useEdit();
  const all = entriesOf<Item>(document, "items");
  const { chosen, open } = useChosen(all);
  return (
    <>
      <p className="mb-2 text-ink-2">What people can ask for. Without a route it is pre-approved and goes straight to its team.</p>
      <EntryList
        all={all}
        chosen={chosen?.key}
        section="items"
        what="item"
        onOpen={open}
        onNew={() => {
          const key = keyFrom(
            "New item",
            all.map((one) => one.key),
          );
          edit.mutate(
            {
              section: "items",
              key,
              before: null,
              after: { key, name: "New item", plain: "What it is for", group: all[0]?.group ?? "Things" },
            },
            { onSuccess: () => open(key) },
          );
        }}
      />
      {chosen ? <ItemEditor key={chosen.key} stored={chosen} /> : null}
    </>
  );
}

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
  const edit = useEdit();
  const one = editing.value;
  const set = (change: Partial<Item>) => editing.set(tidy({ ...one, ...change }));
  return (
    <article className="rounded-card border border-line px-4 py-3">
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
        , and can be asked for{" "}
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
      <div className="mt-1 text-right">
        <Button tone="quiet" onClick={() => edit.mutate({ section: "items", key: one.key, before: stored, after: null })}>
          Remove
        </Button>
      </div>
      <OfferPreview offer={stored} />
    </article>
  );
}
