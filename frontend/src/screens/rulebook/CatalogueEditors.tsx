import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, ok } from "../../api/client";
import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import type { Tree } from "../../parts/condition/tree";
import { useDebounced } from "../../parts/hooks";
import { ICON_NAMES, OfferIcon } from "../../parts/OfferIcon";
import { Button } from "../../parts/ui";
import { type Agreement, entriesOf, type Entry, type Form, keyFrom, openEntry, useBook, useEdit, useEntry } from "./data";
import { OfferPreview } from "./OfferPreview";
import { EditState, moved, options, OrderButtons, PickMany, PickOne, smallInput, SpanInput, TextInput } from "./parts";

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
interface Item extends Offered {
  service?: string;
  category?: string;
  once_pence?: number;
  monthly_pence?: number;
  tasks?: string[];
  is_alone?: boolean;
}
interface BundlePart {
  item: string;
  is_required?: boolean;
  if?: Tree | null;
  fill?: Record<string, string>;
}
interface Bundle extends Offered {
  parts: BundlePart[];
}
interface RouteStage extends Entry {
  name?: string;
  if?: Tree | null;
  approvers: { who: string; of?: string }[];
  quorum?: "any" | "all" | { of: number };
  fallback?: string;
  remind_seconds?: number;
  decide_seconds?: number;
  when_passed?: string;
  by_link?: "always" | "never" | { up_to_pence: number };
}
interface Route extends Entry {
  name: string;
  owner?: string;
  stages: RouteStage[];
}

const WHO = ["line manager", "beneficiary's line manager", "cost centre owner", "service owner", "technical owner", "team", "board", "person"];

const isAlways = (tree: Tree) => "all" in tree && tree.all.length === 0;

/** Drops what is empty: the schema wants no empty words. */
function tidy<T extends object>(entry: T): T {
  return Object.fromEntries(Object.entries(entry).filter(([, value]) => value !== "" && value !== null && value !== undefined)) as T;
}

function useChosen<T extends Entry>(all: T[]) {
  const [params, setParams] = useSearchParams();
  const chosen = openEntry(all, params.get("open"));
  const open = (key: string) => setParams({ open: key }, { replace: true });
  return { chosen, open };
}

function EntryList<T extends Offered | Route>({ all, chosen, onOpen, onNew, what }: { all: T[]; chosen: string | undefined; onOpen: (key: string) => void; onNew: () => void; what: string }) {
  return (
    <nav aria-label={`Each ${what}`} className="mb-3 flex flex-wrap gap-1.5">
      {all.map((one) => (
        <button
          key={one.key}
          type="button"
          aria-current={one.key === chosen}
          className={`rounded-small border px-2 py-0.5 ${one.key === chosen ? "border-sea bg-sea-3 font-bold" : "border-line bg-sheet"}`}
          onClick={() => onOpen(one.key)}
        >
          {one.name}
        </button>
      ))}
      <Button onClick={onNew}>New {what}</Button>
    </nav>
  );
}

/** What every offer has: its words, picture, who may ask, form, route, team and promise. */
function OfferWords<T extends Offered>({ one, set }: { one: T; set: (change: Partial<Offered>) => void }) {
  const { document, words } = useBook();
  const named = (section: string) => [{ key: "", name: "none" }, ...entriesOf<Entry & { name: string }>(document, section).map(({ key, name }) => ({ key, name }))];
  const deliveries = [{ key: "", name: "by the agreements" }, ...entriesOf<Agreement>(document, "agreements").filter((entry) => entry.kind === "customer").map(({ key, name }) => ({ key, name }))];
  return (
    <>
      <p className="flex flex-wrap items-center gap-2">
        <OfferIcon icon={one.icon ?? ""} />
        <TextInput label="Name" className={`${smallInput} w-56 font-bold`} value={one.name} onChange={(name) => set({ name })} />
        <TextInput label="What one can do with it" className={`${smallInput} min-w-0 flex-1`} value={one.plain} onChange={(plain) => set({ plain })} />
      </p>
      <p className="mt-1.5 leading-8">
        Under <TextInput label="Group" className={`${smallInput} w-44`} value={one.group} onChange={(group) => set({ group })} />, picture{" "}
        <PickOne label="Picture" placeholder="a box" options={options(ICON_NAMES)} value={one.icon ?? ""} onChange={(icon) => set({ icon })} />, also found by{" "}
        <TextInput label="Other words for it" className={`${smallInput} w-56`} value={one.words ?? ""} onChange={(text) => set({ words: text })} />. It is{" "}
        <PickOne label="Offered" options={[{ key: "yes", name: "offered" }, { key: "no", name: "not offered" }]} value={one.is_on === false ? "no" : "yes"} onChange={(next) => set({ is_on: next === "yes" })} /> to{" "}
        <ConditionSentence fields={words.person_fields as never} tree={one.who ?? { all: [] }} always="everybody" onChange={(tree) => set({ who: isAlways(tree) ? null : tree })} />.
      </p>
      <p className="leading-8">
        It asks the form <PickOne label="Form" placeholder="none" options={named("forms")} value={one.form ?? ""} onChange={(form) => set({ form })} />, is{" "}
        <PickOne label="Approval route" placeholder="pre-approved" options={[{ key: "", name: "pre-approved" }, ...entriesOf<Route>(document, "routes").map(({ key, name }) => ({ key, name: `approved by the route “${name}”` }))]} value={one.route ?? ""} onChange={(route) => set({ route })} />, fulfilled by{" "}
        <PickOne label="Team" placeholder="the service's team" options={[{ key: "", name: "the service's team" }, ...options(words.teams)]} value={one.team ?? ""} onChange={(team) => set({ team })} />, promised{" "}
        <PickOne label="Delivery promise" placeholder="by the agreements" options={deliveries} value={one.delivery ?? ""} onChange={(delivery) => set({ delivery })} />.
      </p>
    </>
  );
}

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
        what="item"
        onOpen={open}
        onNew={() => {
          const key = keyFrom("New item", all.map((one) => one.key));
          edit.mutate({ section: "items", key, before: null, after: { key, name: "New item", plain: "What it is for", group: all[0]?.group ?? "Things" } }, { onSuccess: () => open(key) });
        }}
      />
      {chosen ? <ItemEditor key={chosen.key} stored={chosen} /> : null}
    </>
  );
}

function ItemEditor({ stored }: { stored: Item }) {
  const { document, words } = useBook();
  const editing = useEntry<Item>("items", stored.key, stored);
  const edit = useEdit();
  const one = editing.value;
  const set = (change: Partial<Item>) => editing.set(tidy({ ...one, ...change }));
  const pounds = (pence: number | undefined) => String((pence ?? 0) / 100);
  const pence = (text: string) => Math.max(0, Math.round(+text * 100) || 0);
  return (
    <article className="rounded-card border border-line px-4 py-3">
      <EditState editing={editing} />
      <OfferWords one={one} set={set} />
      <p className="leading-8">
        It costs £<TextInput label="Cost once" className={`${smallInput} w-20`} value={pounds(one.once_pence)} onChange={(text) => set({ once_pence: pence(text) })} /> once and £
        <TextInput label="Cost a month" className={`${smallInput} w-20`} value={pounds(one.monthly_pence)} onChange={(text) => set({ monthly_pence: pence(text) })} /> a month, belongs to the service{" "}
        <PickOne label="Service" placeholder="none" options={[{ key: "", name: "none" }, ...options(words.services)]} value={one.service ?? ""} onChange={(service) => set({ service })} />, brings the tasks of{" "}
        <PickMany label="Task templates" placeholder="nothing" options={entriesOf<Entry & { name: string }>(document, "tasks").map(({ key, name }) => ({ key, name }))} value={one.tasks ?? []} onChange={(tasks) => set({ tasks })} />, and can be asked for{" "}
        <PickOne label="Alone" options={[{ key: "yes", name: "by itself" }, { key: "no", name: "only in bundles" }]} value={one.is_alone === false ? "no" : "yes"} onChange={(next) => set({ is_alone: next === "yes" })} />.
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

export function BundlesEditor() {
  const { document } = useBook();
  const edit = useEdit();
  const all = entriesOf<Bundle>(document, "bundles");
  const { chosen, open } = useChosen(all);
  const items = entriesOf<Item>(document, "items");
  return (
    <>
      <p className="mb-2 text-ink-2">Several items asked for at once: some always in it, some chosen, common answers asked once.</p>
      <EntryList
        all={all}
        chosen={chosen?.key}
        what="bundle"
        onOpen={open}
        onNew={() => {
          const key = keyFrom("New bundle", all.map((one) => one.key));
          edit.mutate({ section: "bundles", key, before: null, after: { key, name: "New bundle", plain: "What it is for", group: all[0]?.group ?? "Things", parts: items[0] ? [{ item: items[0].key, is_required: true }] : [] } }, { onSuccess: () => open(key) });
        }}
      />
      {chosen ? <BundleEditor key={chosen.key} stored={chosen} /> : null}
    </>
  );
}

function BundleEditor({ stored }: { stored: Bundle }) {
  const { document, words } = useBook();
  const editing = useEntry<Bundle>("bundles", stored.key, stored);
  const edit = useEdit();
  const one = editing.value;
  const set = (change: Partial<Bundle>) => editing.set(tidy({ ...one, ...change }));
  const items = entriesOf<Item>(document, "items");
  const forms = entriesOf<Form>(document, "forms");
  const fieldName = (key: string) => words.form_fields.find((field) => field.key === key)?.name ?? key;
  const common = forms.find((form) => form.key === one.form)?.fields.map(({ field }) => field) ?? [];
  const replace = (at: number, change: Partial<BundlePart>) => set({ parts: one.parts.map((old, index) => (index === at ? tidy({ ...old, ...change }) : old)) });
  return (
    <article className="rounded-card border border-line px-4 py-3">
      <EditState editing={editing} />
      <OfferWords one={one} set={set} />
      <h3 className="mt-2 font-bold">What is in it</h3>
      <ul>
        {one.parts.map((part, index) => {
          const item = items.find((entry) => entry.key === part.item);
          const own = forms.find((form) => form.key === item?.form)?.fields.map(({ field }) => field) ?? [];
          return (
            <li key={part.item} className="border-b border-line py-1.5 leading-8 last:border-0">
              <OrderButtons index={index} count={one.parts.length} name={item?.name ?? part.item} onMove={(to) => set({ parts: moved(one.parts, index, to) })} />{" "}
              <b>{item?.name ?? part.item}</b>,{" "}
              <PickOne label="In it" options={[{ key: "yes", name: "always in it" }, { key: "no", name: "if chosen" }]} value={part.is_required ? "yes" : "no"} onChange={(next) => replace(index, { is_required: next === "yes" })} />, offered{" "}
              <ConditionSentence fields={words.route_fields as never} tree={part.if ?? { all: [] }} always="always" onChange={(tree) => replace(index, { if: isAlways(tree) ? null : tree })} />
              {own.map((field) => (
                <span key={field}>
                  ; {fieldName(field)}{" "}
                  <PickOne
                    label={`${fieldName(field)} of ${item?.name ?? part.item}`}
                    options={[{ key: "", name: "asked for it alone" }, ...common.map((key) => ({ key, name: `filled from “${fieldName(key)}”` }))]}
                    value={part.fill?.[field] ?? ""}
                    onChange={(next) => replace(index, { fill: Object.fromEntries(Object.entries({ ...part.fill, [field]: next }).filter(([, from]) => from)) })}
                  />
                </span>
              ))}
              <button type="button" aria-label={`Take ${item?.name ?? part.item} out`} className="ml-1 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust" onClick={() => set({ parts: one.parts.filter((_, at) => at !== index) })}>
                ×
              </button>
            </li>
          );
        })}
      </ul>
      <div className="mt-2 flex justify-between">
        <select aria-label="Add an item" className={smallInput} value="" onChange={(event) => set({ parts: [...one.parts, { item: event.target.value, is_required: false }] })}>
          <option value="">+ item…</option>
          {items
            .filter((item) => !one.parts.some((part) => part.item === item.key))
            .map((item) => (
              <option key={item.key} value={item.key}>
                {item.name}
              </option>
            ))}
        </select>
        <Button tone="quiet" onClick={() => edit.mutate({ section: "bundles", key: one.key, before: stored, after: null })}>
          Remove
        </Button>
      </div>
      <OfferPreview offer={stored} />
    </article>
  );
}

export function RoutesEditor() {
  const { document, words } = useBook();
  const edit = useEdit();
  const all = entriesOf<Route>(document, "routes");
  const { chosen, open } = useChosen(all);
  return (
    <>
      <p className="mb-2 text-ink-2">Who must approve what, in which order. No stage that applies: approved by itself. A route that could leave a request with nobody cannot be published.</p>
      <EntryList
        all={all}
        chosen={chosen?.key}
        what="route"
        onOpen={open}
        onNew={() => {
          const key = keyFrom("New route", all.map((one) => one.key));
          const somebody = words.deciders[0]?.key ?? "";
          edit.mutate(
            { section: "routes", key, before: null, after: { key, name: "New route", owner: somebody, stages: [{ key: "manager", name: "Line manager", approvers: [{ who: "beneficiary's line manager" }], quorum: "any", fallback: somebody }] } },
            { onSuccess: () => open(key) },
          );
        }}
      />
      {chosen ? <RouteEditor key={chosen.key} stored={chosen} /> : null}
    </>
  );
}

function RouteEditor({ stored }: { stored: Route }) {
  const { words } = useBook();
  const editing = useEntry<Route>("routes", stored.key, stored);
  const edit = useEdit();
  const one = editing.value;
  const set = (change: Partial<Route>) => editing.set({ ...one, ...change });
  const replace = (at: number, change: Partial<RouteStage>) => set({ stages: one.stages.map((old, index) => (index === at ? tidy({ ...old, ...change }) : old)) });
  const people = words.deciders;
  return (
    <article className="rounded-card border border-line px-4 py-3">
      <EditState editing={editing} />
      <p className="leading-8">
        <TextInput label="Name of the route" className={`${smallInput} w-56 font-bold`} value={one.name} onChange={(name) => set({ name })} /> – answered for by{" "}
        <PickOne label="Owner" options={people} value={one.owner ?? ""} onChange={(owner) => set({ owner })} />.
      </p>
      <ol>
        {one.stages.map((stage, index) => (
          <li key={stage.key} className="mt-2 rounded-small border border-line px-3 py-2">
            <p className="leading-8">
              <OrderButtons index={index} count={one.stages.length} name={stage.name ?? stage.key} onMove={(to) => set({ stages: moved(one.stages, index, to) })} />{" "}
              <TextInput label="Name of the stage" className={`${smallInput} w-48 font-bold`} value={stage.name ?? stage.key} onChange={(name) => replace(index, { name })} />, asked{" "}
              <ConditionSentence fields={words.route_fields as never} tree={stage.if ?? { all: [] }} always="always" onChange={(tree) => replace(index, { if: isAlways(tree) ? null : tree })} />:{" "}
              <Approvers stage={stage} onChange={(approvers) => replace(index, { approvers })} />;{" "}
              <PickOne
                label="How many"
                options={[{ key: "any", name: "the first decides" }, { key: "all", name: "all must approve" }, ...[2, 3, 4].map((count) => ({ key: String(count), name: `${count} must approve` }))]}
                value={typeof stage.quorum === "object" ? String(stage.quorum.of) : (stage.quorum ?? "any")}
                onChange={(next) => replace(index, { quorum: next === "any" || next === "all" ? next : { of: +next } })}
              />
              ; nobody there: <PickOne label="Fallback" placeholder="choose a fallback" options={people} value={stage.fallback ?? ""} onChange={(fallback) => replace(index, { fallback })} />.
            </p>
            <p className="text-ink-2">
              Reminded after <SpanInput label="Reminder" canBeEmpty seconds={stage.remind_seconds} onChange={(seconds) => replace(index, seconds ? { remind_seconds: seconds } : ({ remind_seconds: undefined } as never))} />, to be decided in{" "}
              <SpanInput label="Decide by" canBeEmpty seconds={stage.decide_seconds} onChange={(seconds) => replace(index, seconds ? { decide_seconds: seconds } : ({ decide_seconds: undefined } as never))} />; then{" "}
              <PickOne label="When passed" options={[{ key: "remind", name: "reminded again" }, { key: "fallback", name: "passed to the fallback" }, { key: "refuse", name: "refused" }]} value={stage.when_passed ?? "remind"} onChange={(when_passed) => replace(index, { when_passed })} />. Decided{" "}
              <ByLink stage={stage} onChange={(by_link) => replace(index, { by_link })} />.
              <button type="button" aria-label={`Take the stage ${stage.name ?? stage.key} out`} className="ml-2 min-h-[24px] underline hover:text-rust" onClick={() => set({ stages: one.stages.filter((_, at) => at !== index) })}>
                take it out
              </button>
            </p>
          </li>
        ))}
      </ol>
      <div className="mt-2 flex justify-between">
        <Button
          onClick={() => {
            const key = keyFrom("Stage", one.stages.map((stage) => stage.key));
            set({ stages: [...one.stages, { key, name: "New stage", approvers: [{ who: "service owner" }], quorum: "any", ...(one.owner ? { fallback: one.owner } : {}) }] });
          }}
        >
          New stage
        </Button>
        <Button tone="quiet" onClick={() => edit.mutate({ section: "routes", key: one.key, before: stored, after: null })}>
          Remove
        </Button>
      </div>
      <DeadEnds route={one} />
    </article>
  );
}

const SHIPPED_UP_TO = 50_000;

/** What the link of a mail, or an answer to it, may decide without signing in. */
function ByLink({ stage, onChange }: { stage: RouteStage; onChange: (next: RouteStage["by_link"]) => void }) {
  const said = stage.by_link ?? { up_to_pence: SHIPPED_UP_TO };
  const kind = typeof said === "object" ? "up to" : said;
  return (
    <>
      <PickOne
        label="By the link of the mail"
        options={[{ key: "up to", name: "by the mail’s link up to" }, { key: "always", name: "by the mail’s link or signed in" }, { key: "never", name: "only signed in" }]}
        value={kind}
        onChange={(next) => onChange(next === "always" || next === "never" ? next : { up_to_pence: SHIPPED_UP_TO })}
      />
      {typeof said === "object" ? (
        <>
          {" "}
          £
          <TextInput
            label="By link up to"
            className={`${smallInput} w-20`}
            value={String(said.up_to_pence / 100)}
            onChange={(text) => onChange({ up_to_pence: Math.max(0, Math.round(+text * 100) || 0) })}
          />{" "}
          (once and over a year), above it signed in
        </>
      ) : null}
    </>
  );
}

function Approvers({ stage, onChange }: { stage: RouteStage; onChange: (approvers: RouteStage["approvers"]) => void }) {
  const { words } = useBook();
  const replace = (at: number, next: RouteStage["approvers"][number]) => onChange(stage.approvers.map((old, index) => (index === at ? next : old)));
  return (
    <>
      {stage.approvers.map((entry, index) => (
        <span key={index}>
          {index > 0 ? " and " : ""}
          <PickOne label="Who" options={options(WHO)} value={entry.who} onChange={(who) => replace(index, { who })} />
          {entry.who === "person" ? (
            <>
              {" "}
              <PickOne label="Which person" options={words.deciders} value={entry.of ?? ""} onChange={(of) => replace(index, { ...entry, of })} />
            </>
          ) : null}
          {entry.who === "team" || entry.who === "board" ? (
            <>
              {" "}
              <PickOne label={entry.who === "board" ? "Which board" : "Which team"} options={options(entry.who === "board" ? words.boards : words.teams)} value={entry.of ?? ""} onChange={(of) => replace(index, { ...entry, of })} />
            </>
          ) : null}
          {stage.approvers.length > 1 ? (
            <button type="button" aria-label={`Do not ask the ${entry.who}`} className="min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust" onClick={() => onChange(stage.approvers.filter((_, at) => at !== index))}>
              ×
            </button>
          ) : null}
        </span>
      ))}{" "}
      <button type="button" className="why text-ink-2" onClick={() => onChange([...stage.approvers, { who: "service owner" }])}>
        + somebody else
      </button>
    </>
  );
}

/** Every outcome of the route with an example; one that leaves a request with nobody stands out. */
function DeadEnds({ route }: { route: Route }) {
  const late = useDebounced(JSON.stringify(route), 400);
  const { data } = useQuery({
    queryKey: ["route-ends", late],
    queryFn: () => ok(api.POST("/api/rulebook/route-ends", { body: { route: JSON.parse(late) as never } })),
    placeholderData: (old) => old,
  });
  if (!data) return null;
  return (
    <section aria-label="What it can come to" className="mt-3 border-t border-line pt-2">
      <h3 className="font-bold">
        What it can come to{" "}
        <span className="text-[13px] font-normal text-ink-2">
          {data.is_complete ? `all ${data.combinations} combinations tried` : `${data.combinations} combinations are too many: all pairs tried`}
        </span>
      </h3>
      {data.wrong.map((words) => (
        <p key={words} className="font-semibold text-rust">
          {words}
        </p>
      ))}
      <ul className="mt-1">
        {data.ends.map((end) => (
          <li key={end.stages.join("/")} className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-3 border-b border-line py-1 last:border-0">
            <span className={end.problem ? "font-bold text-rust" : ""}>{end.problem || (end.stages.length === 0 ? "approved by itself" : end.stages.join(", then "))}</span>
            <span className="text-[13px] text-ink-2">{end.example ? `for example ${end.example}` : "always"}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
