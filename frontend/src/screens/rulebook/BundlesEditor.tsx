import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import { type Form, useBook, useEntry } from "./data";
import { entriesOf } from "./edits";
import { OfferPreview } from "./OfferPreview";
import { EditState, moved, OrderButtons, PickOne, smallInput } from "./parts";
import { type Item, type BundlePart, type Bundle, isAlways, offers, tidy, OfferWords } from "./offers";
import type { SectionSpec } from "./section/spec";

export const bundles: SectionSpec<Bundle> = {
  section: "bundles",
  title: "Bundles",
  one: "bundle",
  about: "Several items requested at once: some always in it, some chosen, common answers asked once.",
  freshName: "New bundle",
  ...offers<Bundle>(),
  fresh: [
    {
      label: "New bundle",
      make: (key, { document }) => {
        const first = entriesOf<Item>(document, "items")[0];
        return {
          key,
          name: "New bundle",
          plain: "What it is for",
          group: entriesOf<Bundle>(document, "bundles")[0]?.group ?? "Things",
          parts: first ? [{ item: first.key, is_required: true }] : [],
        };
      },
    },
  ],
  Editor: BundleEditor,
};

function BundleEditor({ stored }: { stored: Bundle }) {
  const { document, words } = useBook();
  const editing = useEntry<Bundle>("bundles", stored.key, stored);
  const one = editing.value;
  const set = (change: Partial<Bundle>) => editing.set(tidy({ ...one, ...change }));
  const items = entriesOf<Item>(document, "items");
  const forms = entriesOf<Form>(document, "forms");
  const fieldName = (key: string) => words.form_fields.find((field) => field.key === key)?.name ?? key;
  const common = forms.find((form) => form.key === one.form)?.fields.map(({ field }) => field) ?? [];
  const replace = (at: number, change: Partial<BundlePart>) =>
    set({ parts: one.parts.map((old, index) => (index === at ? tidy({ ...old, ...change }) : old)) });
  return (
    <article>
      <EditState editing={editing} />
      <OfferWords one={one} set={set} />
      <p className="leading-8">
        Whom it is for is named by{" "}
        <PickOne
          label="Named by"
          options={[{ key: "", name: "who it is requested for" }, ...common.map((key) => ({ key, name: `“${fieldName(key)}”` }))]}
          value={one.named_by ?? ""}
          onChange={(named_by) => set({ named_by })}
        />
        .
      </p>
      <h3 className="mt-2 font-bold">What is in it</h3>
      <ul>
        {one.parts.map((part, index) => {
          const item = items.find((entry) => entry.key === part.item);
          const own = forms.find((form) => form.key === item?.form)?.fields.map(({ field }) => field) ?? [];
          return (
            <li key={part.item} className="border-b border-line py-1.5 leading-8 last:border-0">
              <OrderButtons
                index={index}
                count={one.parts.length}
                name={item?.name ?? part.item}
                onMove={(to) => set({ parts: moved(one.parts, index, to) })}
              />{" "}
              <b>{item?.name ?? part.item}</b>,{" "}
              <PickOne
                label="In it"
                options={[
                  { key: "yes", name: "always in it" },
                  { key: "no", name: "if chosen" },
                ]}
                value={part.is_required ? "yes" : "no"}
                onChange={(next) => replace(index, { is_required: next === "yes" })}
              />
              , offered{" "}
              <ConditionSentence
                fields={words.route_fields}
                tree={part.if ?? { all: [] }}
                always="always"
                onChange={(tree) => replace(index, { if: isAlways(tree) ? null : tree })}
              />
              {own.map((field) => (
                <span key={field}>
                  ; {fieldName(field)}{" "}
                  <PickOne
                    label={`${fieldName(field)} of ${item?.name ?? part.item}`}
                    options={[
                      { key: "", name: "asked on this item" },
                      ...common.map((key) => ({ key, name: `filled from “${fieldName(key)}”` })),
                    ]}
                    value={part.fill?.[field] ?? ""}
                    onChange={(next) =>
                      replace(index, {
                        fill: Object.fromEntries(Object.entries({ ...part.fill, [field]: next }).filter(([, from]) => from)),
                      })
                    }
                  />
                </span>
              ))}
              <button
                type="button"
                aria-label={`Take ${item?.name ?? part.item} out`}
                className="ml-1 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
                onClick={() => set({ parts: one.parts.filter((_, at) => at !== index) })}
              >
                ×
              </button>
            </li>
          );
        })}
      </ul>
      <div className="mt-2 flex justify-between">
        <select
          aria-label="Add an item"
          className={smallInput}
          value=""
          onChange={(event) => set({ parts: [...one.parts, { item: event.target.value, is_required: false }] })}
        >
          <option value="">+ item…</option>
          {items
            .filter((item) => !one.parts.some((part) => part.item === item.key))
            .map((item) => (
              <option key={item.key} value={item.key}>
                {item.name}
              </option>
            ))}
        </select>
      </div>
      <OfferPreview offer={stored} />
    </article>
  );
}
