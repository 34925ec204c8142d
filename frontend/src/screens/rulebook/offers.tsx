import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import type { Tree } from "../../parts/condition/tree";
import { ICON_NAMES, OfferIcon } from "../../parts/OfferIcon";
import { type Agreement, type Book, type Document, type Entry, useBook } from "./data";
import { entriesOf } from "./edits";
import { options, PickOne, smallInput, TextInput } from "./parts";
import { type Route } from "./routes";
import { type SectionSpec, yesNo } from "./section/spec";

interface Offered extends Entry {
  name: string;
  plain: string;
  group: string;
  icon?: string;
  words?: string;
  is_on?: boolean;
  who?: Tree | null;
  form?: string;
  route?: string;
  team?: string;
  delivery?: string;
}

export interface Item extends Offered {
  service?: string;
  category?: string;
  once_pence?: number;
  monthly_pence?: number;
  tasks?: string[];
  is_alone?: boolean;
}

export interface BundlePart {
  item: string;
  is_required?: boolean;
  if?: Tree | null;
  fill?: Record<string, string>;
}

export interface Bundle extends Offered {
  parts: BundlePart[];
  /** The answer that names whom it is for, where that is nobody known yet. */
  named_by?: string | undefined;
}

export const isAlways = (tree: Tree) => "all" in tree && tree.all.length === 0;

/** Drops what is empty: the schema wants no empty words. */
export function tidy<T extends object>(entry: T): T {
  return Object.fromEntries(Object.entries(entry).filter(([, value]) => value !== "" && value !== null && value !== undefined)) as T;
}

/** The groups of the catalogue in their order, and those that are only named by an entry. */
function groupNames(document: Document): string[] {
  const listed = entriesOf(document, "groups").map((one) => one.key);
  const named = ["items", "bundles"].flatMap((section) => entriesOf<Offered>(document, section).map((one) => one.group));
  return [...new Set([...listed, ...named.sort()])];
}

const nameIn = (document: Document, section: string, key: string | undefined) =>
  entriesOf<Entry & { name: string }>(document, section).find((one) => one.key === key)?.name ?? "";

/** What the lists of items and of bundles have alike. */
export function offers<T extends Offered>(): Pick<
  SectionSpec<T>,
  "nameOf" | "groupOf" | "groupOrder" | "wordsOf" | "isOff" | "columns" | "bulk"
> {
  const named =
    (section: string, none: string) =>
    ({ document }: Book) => [
      { key: "", name: none },
      ...entriesOf<Entry & { name: string }>(document, section).map(({ key, name }) => ({ key, name })),
    ];
  return {
    nameOf: (one) => one.name,
    groupOf: (one) => one.group,
    groupOrder: ({ document }) => groupNames(document),
    wordsOf: (one) => `${one.plain} ${one.words ?? ""}`,
    isOff: (one) => one.is_on === false,
    columns: [
      { label: "team", of: (one) => one.team ?? "the service’s" },
      { label: "route", of: (one, { document }) => nameIn(document, "routes", one.route) || "no approval" },
      { label: "SLA", of: (one, { document }) => nameIn(document, "agreements", one.delivery) || "by the agreements" },
    ],
    bulk: [
      {
        name: "group",
        label: "group",
        choices: ({ document }) => options(groupNames(document)),
      },
      { name: "route", label: "approval route", choices: named("routes", "pre-approved") },
      {
        name: "team",
        label: "team",
        choices: ({ words }) => [{ key: "", name: "the service’s team" }, ...options(words.teams)],
      },
      { name: "delivery", label: "delivery SLA", choices: named("agreements", "by the agreements") },
      { name: "form", label: "form", choices: named("forms", "none") },
      {
        name: "is_on",
        label: "offered",
        choices: () => yesNo("offered", "not offered"),
        value: (key) => (key === "yes" ? undefined : false),
      },
    ],
  };
}

/** What every offer has: its words, picture, who may ask, form, route, team and promise. */
export function OfferWords<T extends Offered>({ one, set }: { one: T; set: (change: Partial<Offered>) => void }) {
  const { document, words } = useBook();
  const named = (section: string) => [
    { key: "", name: "none" },
    ...entriesOf<Entry & { name: string }>(document, section).map(({ key, name }) => ({ key, name })),
  ];
  const deliveries = [
    { key: "", name: "by the agreements" },
    ...entriesOf<Agreement>(document, "agreements")
      .filter((entry) => entry.kind === "customer")
      .map(({ key, name }) => ({ key, name })),
  ];
  return (
    <>
      <p className="flex flex-wrap items-center gap-2">
        <OfferIcon icon={one.icon ?? ""} />
        <TextInput label="Name" isName className={`${smallInput} w-56 font-bold`} value={one.name} onChange={(name) => set({ name })} />
        <TextInput
          label="What one can do with it"
          className={`${smallInput} min-w-0 flex-1`}
          value={one.plain}
          onChange={(plain) => set({ plain })}
        />
      </p>
      <p className="mt-1.5 leading-8">
        Under <PickOne label="Group" options={options(groupNames(document))} value={one.group} onChange={(group) => set({ group })} />,
        picture{" "}
        <PickOne
          label="Picture"
          placeholder="a box"
          options={options(ICON_NAMES)}
          value={one.icon ?? ""}
          onChange={(icon) => set({ icon })}
        />
        , also found by{" "}
        <TextInput
          label="Other words for it"
          className={`${smallInput} w-56`}
          value={one.words ?? ""}
          onChange={(text) => set({ words: text })}
        />
        . It is{" "}
        <PickOne
          label="Offered"
          options={[
            { key: "yes", name: "offered" },
            { key: "no", name: "not offered" },
          ]}
          value={one.is_on === false ? "no" : "yes"}
          onChange={(next) => set({ is_on: next === "yes" })}
        />{" "}
        to{" "}
        <ConditionSentence
          fields={words.person_fields}
          tree={one.who ?? { all: [] }}
          always="everybody"
          onChange={(tree) => set({ who: isAlways(tree) ? null : tree })}
        />
        .
      </p>
      <p className="leading-8">
        It asks the form{" "}
        <PickOne label="Form" placeholder="none" options={named("forms")} value={one.form ?? ""} onChange={(form) => set({ form })} />, is{" "}
        <PickOne
          label="Approval route"
          placeholder="pre-approved"
          options={[
            { key: "", name: "pre-approved" },
            ...entriesOf<Route>(document, "routes").map(({ key, name }) => ({ key, name: `approved by the route “${name}”` })),
          ]}
          value={one.route ?? ""}
          onChange={(route) => set({ route })}
        />
        , fulfilled by{" "}
        <PickOne
          label="Team"
          placeholder="the service's team"
          options={[{ key: "", name: "the service's team" }, ...options(words.teams)]}
          value={one.team ?? ""}
          onChange={(team) => set({ team })}
        />
        , delivered within{" "}
        <PickOne
          label="Delivery SLA"
          placeholder="by the agreements"
          options={deliveries}
          value={one.delivery ?? ""}
          onChange={(delivery) => set({ delivery })}
        />
        .
      </p>
    </>
  );
}
