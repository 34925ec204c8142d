import { useState } from "react";
import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import { type Agreement, type Book, type Calendar, fieldsOf, type Matrix, useBook, useEntry } from "./data";
import { entriesOf } from "./edits";
import type { SectionSpec } from "./section/spec";
import { EditState, options, PickMany, PickOne, smallInput, SpanInput, TextInput } from "./parts";
import { QuickTry } from "./TryPage";
import { WhenInput } from "../../parts/WhenInput";
import { Steps } from "./AgreementSteps";

/** The clocks that few agreements have a target for: they are a column once one is wanted. */
const RARE = new Set(["workaround", "cause", "decision", "authorisation", "look back"]);
const KINDS = { customer: "SLAs", team: "OLAs", supplier: "Supplier contracts" };

function fresh(kind: Agreement["kind"]) {
  return (key: string, { document, words }: Book): Agreement => {
    const kinds = words.clocks.filter((clock) => clock.of === kind && !RARE.has(clock.key)).map((clock) => clock.key);
    const targets = prioritiesOf(document.matrix as Matrix).map((priority) => [
      String(priority),
      Object.fromEntries(kinds.map((name) => [name, 3600 * priority * (name.includes("answer") ? 1 : 4)])),
    ]);
    return {
      key,
      name: { customer: "New SLA", team: "New OLA", supplier: "New supplier contract" }[kind],
      owner: "",
      kind,
      status: "draft",
      scope: { all: [] },
      calendar: entriesOf<Calendar>(document, "calendars")[0]?.key ?? "",
      targets: Object.fromEntries(targets) as Agreement["targets"],
      pauses_on: ["requester", "date"],
      steps: [],
    };
  };
}

export const agreements: SectionSpec<Agreement> = {
  section: "agreements",
  title: "Agreements",
  one: "agreement",
  about: "What is promised, to whom and on which hours. Of each kind the first that applies counts.",
  nameOf: (one) => one.name,
  groupOf: (one) => KINDS[one.kind],
  wordsOf: (one) => one.description ?? "",
  isOff: (one) => one.status === "draft" || one.status === "retired",
  isOrdered: true,
  isNewFirst: true,
  freshName: "New agreement",
  columns: [
    { label: "status", of: (one) => one.status ?? "active" },
    {
      label: "hours",
      of: (one, { document }) => entriesOf<Calendar>(document, "calendars").find((entry) => entry.key === one.calendar)?.name ?? "",
    },
    { label: "owner", of: (one) => one.owner ?? "" },
  ],
  bulk: [
    { name: "status", label: "status", choices: () => options(["draft", "active", "retired"]) },
    {
      name: "calendar",
      label: "hours",
      choices: ({ document }) => entriesOf<Calendar>(document, "calendars").map(({ key, name }) => ({ key, name })),
    },
  ],
  fresh: [
    { label: "SLA", make: fresh("customer") },
    { label: "OLA", make: fresh("team") },
    { label: "Supplier contract", make: fresh("supplier") },
  ],
  Editor: AgreementEditor,
};

export function prioritiesOf(matrix: Matrix): number[] {
  return [...new Set(matrix.cells.flat().filter((cell): cell is number => cell !== null))].sort((one, other) => one - other);
}

function AgreementEditor({ stored }: { stored: Agreement }) {
  const { document, words } = useBook();
  const editing = useEntry<Agreement>("agreements", stored.key, stored);
  const one = editing.value;
  const set = (change: Partial<Agreement>) => editing.set({ ...one, ...change });
  const calendars = entriesOf<Calendar>(document, "calendars").map(({ key, name }) => ({ key, name }));
  const waits = options(["requester", "supplier", "approval", "date"]);
  return (
    <article>
      <EditState editing={editing} />
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <TextInput
          label="Name"
          isName
          className="w-full rounded-small border border-transparent bg-transparent text-[20px] font-bold hover:border-line-2 focus:border-line-2"
          value={one.name}
          onChange={(name) => set({ name })}
        />
        <span className="text-ink-2">
          {{ customer: "SLA", team: "OLA", supplier: "supplier contract" }[one.kind]} ·{" "}
          <PickOne
            label="Status"
            options={options(["draft", "active", "retired"])}
            value={one.status ?? "active"}
            onChange={(status) => set({ status })}
          />{" "}
          · owner <TextInput label="Owner" className={`${smallInput} w-28`} value={one.owner ?? ""} onChange={(owner) => set({ owner })} />{" "}
          · from{" "}
          <WhenInput
            isDay
            className={`${smallInput} w-32`}
            props={{ "aria-label": "Starts" }}
            value={one.starts ?? ""}
            onChange={(day) => set({ starts: day || null })}
          />{" "}
          to{" "}
          <WhenInput
            isDay
            className={`${smallInput} w-32`}
            props={{ "aria-label": "Ends" }}
            value={one.ends ?? ""}
            onChange={(day) => set({ ends: day || null })}
          />
        </span>
      </div>
      <p className="mt-2 text-[16.5px] leading-[29px]">
        Applies <ConditionSentence fields={fieldsOf(words)} tree={one.scope} always="always" onChange={(scope) => set({ scope })} />. Hours:{" "}
        <PickOne label="Calendar" options={calendars} value={one.calendar} onChange={(calendar) => set({ calendar })} />. The clock waits
        while{" "}
        <PickMany
          label="Pauses on"
          joiner="or"
          placeholder="nothing"
          options={waits}
          value={one.pauses_on ?? []}
          onChange={(pauses_on) => set({ pauses_on })}
        />{" "}
        is waited on
        {one.kind === "customer" ? (
          <>
            , the response clock while{" "}
            <PickMany
              label="Answer pauses on"
              joiner="or"
              placeholder="nothing"
              options={waits}
              value={one.answer_pauses_on ?? []}
              onChange={(answer_pauses_on) => set({ answer_pauses_on })}
            />
          </>
        ) : null}
        .
      </p>
      <Targets one={one} onChange={(targets) => set({ targets })} calendars={calendars} />
      <Steps one={one} onChange={(steps) => set({ steps })} />
      {one.kind === "customer" ? <QuickTry agreement={one.key} /> : null}
    </article>
  );
}

interface TargetsProps {
  one: Agreement;
  onChange: (targets: Agreement["targets"]) => void;
  calendars: { key: string; name: string }[];
}

function Targets({ one, onChange, calendars }: TargetsProps) {
  const { document, words } = useBook();
  const [added, setAdded] = useState<string[]>([]);
  const possible = words.clocks.filter((clock) => clock.of === one.kind);
  const isShown = (key: string) =>
    !RARE.has(key) || added.includes(key) || Object.values(one.targets).some((row) => row[key] !== undefined);
  const kinds = possible.filter((clock) => isShown(clock.key));
  const others = possible.filter((clock) => !isShown(clock.key));
  const priorities = prioritiesOf(document.matrix as Matrix);
  const set = (priority: number, name: string, value: number | string | undefined) => {
    const row = { ...(one.targets[String(priority)] ?? {}) };
    if (value === undefined || value === "") delete row[name];
    else row[name] = value;
    const targets = { ...one.targets, [String(priority)]: row };
    if (Object.keys(row).length === 0) delete targets[String(priority)];
    onChange(targets);
  };
  return (
    <>
      <table className="mt-3 w-full">
        <thead>
          <tr className="border-b border-line text-left text-ink-2">
            <th scope="col" className="py-1 pr-2 font-normal">
              priority
            </th>
            {kinds.map((kind) => (
              <th key={kind.key} scope="col" className="py-1 pr-2 font-normal">
                {kind.label || kind.key} in
              </th>
            ))}
            <th scope="col" className="py-1 font-normal">
              hours
            </th>
          </tr>
        </thead>
        <tbody>
          {priorities.map((priority) => {
            const row = one.targets[String(priority)] ?? {};
            return (
              <tr key={priority} className="border-b border-line">
                <th scope="row" className="py-1.5 pr-2 text-left font-normal">
                  P{priority}
                </th>
                {kinds.map((kind) => (
                  <td key={kind.key} className="py-1.5 pr-2">
                    <SpanInput
                      label={`P${priority} ${kind.label || kind.key} in`}
                      seconds={typeof row[kind.key] === "number" ? (row[kind.key] as number) : undefined}
                      canBeEmpty
                      onChange={(seconds) => set(priority, kind.key, seconds)}
                    />
                  </td>
                ))}
                <td className="py-1.5">
                  <select
                    className={smallInput}
                    aria-label={`P${priority} hours`}
                    value={typeof row.calendar === "string" ? row.calendar : ""}
                    onChange={(event) => set(priority, "calendar", event.target.value)}
                  >
                    <option value="">as above</option>
                    {calendars.map((calendar) => (
                      <option key={calendar.key} value={calendar.key}>
                        {calendar.name}
                      </option>
                    ))}
                  </select>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {others.length > 0 ? (
        <p className="mt-1.5">
          <select
            className={smallInput}
            aria-label="A target for another clock"
            value=""
            onChange={(event) => setAdded([...added, event.target.value])}
          >
            <option value="">A target for another clock…</option>
            {others.map((kind) => (
              <option key={kind.key} value={kind.key}>
                {kind.label || kind.key}
              </option>
            ))}
          </select>
        </p>
      ) : null}
    </>
  );
}
