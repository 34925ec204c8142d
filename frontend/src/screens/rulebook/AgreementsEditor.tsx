import { useSearchParams } from "react-router";
import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import { Button, Loading } from "../../parts/ui";
import { type Agreement, type Calendar, fieldsOf, type Matrix, useBook, useEdit, useEntry } from "./data";
import { entriesOf } from "./edits";
import { openEntry } from "./edits";
import { keyFrom } from "./edits";
import { EditState, options, OrderButtons, PickMany, PickOne, smallInput, SpanInput, TextInput } from "./parts";
import { QuickTry } from "./TryPage";
import { Steps } from "./AgreementSteps";

const KINDS = { customer: "customer agreements", team: "team agreements", supplier: "supplier contracts" };

export function AgreementsEditor() {
  const { document, words } = useBook();
  const [params, setParams] = useSearchParams();
  const edit = useEdit();
  const all = entriesOf<Agreement>(document, "agreements");
  const open = openEntry(all, params.get("open"));
  const show = (key: string) => setParams({ open: key });
  const add = (kind: Agreement["kind"]) => {
    const key = keyFrom(
      `New ${kind} agreement`,
      all.map((one) => one.key),
    );
    const calendar = entriesOf<Calendar>(document, "calendars")[0]?.key ?? "";
    const priorities = prioritiesOf(document.matrix as Matrix);
    const kinds = words.clocks.filter((clock) => clock.of === kind && clock.key !== "workaround").map((clock) => clock.key);
    const targets = Object.fromEntries(
      priorities.map((priority) => [
        String(priority),
        Object.fromEntries(kinds.map((name) => [name, 3600 * priority * (name.includes("answer") ? 1 : 4)])),
      ]),
    );
    const after: Agreement = {
      key,
      name: `New ${kind} agreement`,
      owner: "",
      kind,
      status: "draft",
      scope: { all: [] },
      calendar,
      targets,
      pauses_on: ["requester", "date"],
      steps: [],
    };
    edit.mutate({ section: "agreements", key, before: null, after, position: 0 }, { onSuccess: () => show(key) });
  };
  return (
    <>
      {(Object.keys(KINDS) as (keyof typeof KINDS)[]).map((kind) => {
        const listed = all.filter((one) => one.kind === kind);
        return (
          <div key={kind} className="flex flex-wrap items-center gap-x-1 gap-y-1 py-0.5">
            <span className="w-32 text-[13px] text-ink-2">{KINDS[kind]}</span>
            {listed.map((one, index) => (
              <button
                key={one.key}
                type="button"
                aria-current={one.key === open?.key}
                onClick={() => show(one.key)}
                className={`rounded-small border px-2 py-0.5 ${one.key === open?.key ? "border-crown bg-crown-2 font-bold" : "border-line hover:bg-sea-3"} ${one.status === "draft" || one.status === "retired" ? "border-dashed text-ink-2" : ""}`}
              >
                {index + 1}. {one.name}
              </button>
            ))}
            <button type="button" className="px-1.5 text-ink-2 hover:text-ink" onClick={() => add(kind)}>
              + new
            </button>
          </div>
        );
      })}
      {open ? <AgreementEditor key={open.key} stored={open} all={all} onGone={() => setParams({})} /> : <Loading what="the agreement" />}
    </>
  );
}

export function prioritiesOf(matrix: Matrix): number[] {
  return [...new Set(matrix.cells.flat().filter((cell): cell is number => cell !== null))].sort((one, other) => one - other);
}

function AgreementEditor({ stored, all, onGone }: { stored: Agreement; all: Agreement[]; onGone: () => void }) {
  const { document, words } = useBook();
  const editing = useEntry<Agreement>("agreements", stored.key, stored);
  const edit = useEdit();
  const one = editing.value;
  const set = (change: Partial<Agreement>) => editing.set({ ...one, ...change });
  const calendars = entriesOf<Calendar>(document, "calendars").map(({ key, name }) => ({ key, name }));
  const waits = options(["requester", "supplier", "approval", "date"]);
  const same = all.filter((other) => other.kind === one.kind);
  const place = same.findIndex((other) => other.key === one.key);
  const move = (to: number) => {
    const target = same[to];
    if (!target) return;
    edit.mutate({
      section: "agreements",
      key: one.key,
      before: stored,
      after: one,
      position: all.findIndex((other) => other.key === target.key),
    });
  };
  return (
    <article className="mt-3 border-t border-line pt-3">
      <EditState editing={editing} />
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <TextInput
          label="Name"
          className="w-full rounded-small border border-transparent bg-transparent text-[20px] font-bold hover:border-line-2 focus:border-line-2"
          value={one.name}
          onChange={(name) => set({ name })}
        />
        <span className="text-ink-2">
          {one.kind} {one.kind === "supplier" ? "contract" : "agreement"} ·{" "}
          <PickOne
            label="Status"
            options={options(["draft", "active", "retired"])}
            value={one.status ?? "active"}
            onChange={(status) => set({ status })}
          />{" "}
          · owner <TextInput label="Owner" className={`${smallInput} w-28`} value={one.owner ?? ""} onChange={(owner) => set({ owner })} />{" "}
          · from{" "}
          <input
            type="date"
            aria-label="Starts"
            className={smallInput}
            value={one.starts ?? ""}
            onChange={(event) => set({ starts: event.target.value || null })}
          />{" "}
          to{" "}
          <input
            type="date"
            aria-label="Ends"
            className={smallInput}
            value={one.ends ?? ""}
            onChange={(event) => set({ ends: event.target.value || null })}
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
            , the answer clock while{" "}
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
      <div className="mt-5 flex flex-wrap items-center gap-2 border-t border-line pt-3">
        <span className="text-ink-2">
          Looked at {place === 0 ? "first" : `after ${same[place - 1]?.name ?? ""}`}; the first that applies counts.
        </span>
        <OrderButtons index={place} count={same.length} name={one.name} onMove={move} />
        <span className="flex-1" />
        <Button
          tone="quiet"
          onClick={() => edit.mutate({ section: "agreements", key: one.key, before: stored, after: null }, { onSuccess: onGone })}
        >
          Remove this agreement
        </Button>
      </div>
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
  const kinds = words.clocks.filter((clock) => clock.of === one.kind);
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
  );
}
