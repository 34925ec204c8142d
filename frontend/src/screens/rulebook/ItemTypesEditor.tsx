import type { Entry } from "./data";
import { useEntry } from "./data";
import { keyFrom } from "./edits";
import { EditState, Part, PickOne, smallInput, TextInput } from "./parts";
import { OwnName } from "./section/rowSection";
import type { SectionSpec } from "./section/spec";

interface Attribute {
  key: string;
  label: string;
  type: string;
  unit?: string;
  choices?: string[];
}

interface ItemType extends Entry {
  layer: string;
  attributes?: Attribute[];
}

const LAYERS = ["applications", "servers", "network", "places", "devices"].map((one) => ({ key: one, name: one }));
const TYPES = ["text", "number", "yes/no", "choice", "date"].map((one) => ({ key: one, name: one }));

export const itemTypes: SectionSpec<ItemType> = {
  section: "item_types",
  title: "Types of item",
  one: "type of item",
  about: "The types of configuration items, the layer of the map that each stands in, and what is written down of it.",
  nameOf: (one) => one.key,
  renamed: (one, name) => ({ ...one, key: name }),
  isOrdered: true,
  columns: [
    { label: "layer", of: (one) => one.layer },
    { label: "attributes", of: (one) => (one.attributes ?? []).map((attribute) => attribute.label).join(", ") },
  ],
  bulk: [{ name: "layer", label: "layer", choices: () => LAYERS }],
  fresh: [{ label: "New type of item", make: (key) => ({ key: key.replaceAll("-", " "), layer: "devices", attributes: [] }) }],
  freshName: "new type",
  Editor: ItemTypeEditor,
};

function ItemTypeEditor({ stored }: { stored: ItemType }) {
  const editing = useEntry<ItemType>("item_types", stored.key, stored);
  const entry = editing.value;
  const attributes = entry.attributes ?? [];
  const setAttributes = (next: Attribute[]) => editing.set({ ...entry, attributes: next });
  const change = (index: number, part: Partial<Attribute>) =>
    setAttributes(attributes.map((one, at) => (at === index ? { ...one, ...part } : one)));
  return (
    <>
      <EditState editing={editing} />
      <dl className="grid max-w-[560px] grid-cols-[170px_minmax(0,1fr)] items-baseline gap-x-3 gap-y-2">
        <dt className="text-ink-2">name</dt>
        <dd>
          <OwnName section="item_types" one="type of item" stored={{ ...stored }} />
        </dd>
        <dt className="text-ink-2">layer of the map</dt>
        <dd>
          <PickOne label="Layer" options={LAYERS} value={entry.layer} onChange={(layer) => editing.set({ ...entry, layer })} />
        </dd>
      </dl>
      <Part title="What is written down of it">
        <ul>
          {attributes.map((one, index) => (
            <li key={one.key} className="flex flex-wrap items-baseline gap-2 border-b border-line py-1.5">
              <TextInput
                label={`Attribute ${index + 1}`}
                value={one.label}
                className={`${smallInput} w-44`}
                onChange={(label) => change(index, { label })}
              />
              <PickOne label={`Type of ${one.label}`} options={TYPES} value={one.type} onChange={(type) => change(index, { type })} />
              {one.type === "number" ? (
                <TextInput
                  label={`Unit of ${one.label}`}
                  placeholder="unit"
                  value={one.unit ?? ""}
                  className={`${smallInput} w-24`}
                  onChange={(unit) => change(index, { unit })}
                />
              ) : null}
              {one.type === "choice" ? (
                <TextInput
                  label={`Choices of ${one.label}, one to a line`}
                  isLong
                  placeholder="one to a line"
                  value={(one.choices ?? []).join("\n")}
                  className={`${smallInput} w-52`}
                  onChange={(text) => change(index, { choices: text.split("\n").filter((line) => line.trim()) })}
                />
              ) : null}
              <button
                type="button"
                className="ml-auto text-[13px] underline"
                aria-label={`Remove ${one.label}`}
                onClick={() => setAttributes(attributes.filter((_, at) => at !== index))}
              >
                remove
              </button>
            </li>
          ))}
        </ul>
        <button
          type="button"
          className="mt-2 font-semibold underline"
          onClick={() => {
            const taken = attributes.map((one) => one.key);
            setAttributes([...attributes, { key: keyFrom("attribute", taken, "_"), label: "new attribute", type: "text" }]);
          }}
        >
          + attribute
        </button>
      </Part>
    </>
  );
}
