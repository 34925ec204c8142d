import { useQuery } from "@tanstack/react-query";
import { api, ok } from "../../api/client";
import { useDebounced } from "../../parts/hooks";
import { clockTime, exact, weekday } from "../../parts/time";
import { WhenInput } from "../../parts/WhenInput";
import type { Entry } from "./data";
import { useBook, useEntry } from "./data";
import { entriesOf } from "./edits";
import { EditState, options, Part, PickMany, PickOne, smallInput, TextInput } from "./parts";
import type { SectionSpec } from "./section/spec";
import { WindowsCalendar } from "./WindowsCalendar";

interface Window extends Entry {
  name: string;
  kind: "maintenance" | "freeze";
  zone: string;
  from: string;
  to: string;
  rrule?: string | null;
  except?: string[];
  services?: string[];
  items?: string[];
  groups?: string[];
}

const DAYS = ["MO", "TU", "WE", "TH", "FR", "SA", "SU"];
const DAY_NAMES = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const OFTEN: [string, string][] = [
  ["", "once"],
  ["DAILY", "each day"],
  ["WEEKLY", "each week"],
  ["MONTHLY", "each month"],
  ["YEARLY", "each year"],
];

export const windows: SectionSpec<Window> = {
  section: "windows",
  title: "Windows and freezes",
  one: "window",
  about:
    "When changes are meant to happen, and when they need a further approval. Times are local ones of the zone, whatever its clocks do.",
  nameOf: (one) => one.name,
  renamed: (one, name) => ({ ...one, name }),
  columns: [
    { label: "kind", of: (one) => (one.kind === "freeze" ? "freeze" : "maintenance window") },
    { label: "from", of: (one) => one.from.replace("T", " ") },
    { label: "for", of: (one) => scopeOf(one) },
  ],
  groupOf: (one) => (one.kind === "freeze" ? "Freezes" : "Maintenance windows"),
  bulk: [],
  freshName: "new window",
  fresh: [
    { label: "New maintenance window", make: (key) => fresh(key, "maintenance") },
    { label: "New freeze", make: (key) => fresh(key, "freeze") },
  ],
  Editor: WindowEditor,
  below: <WindowsCalendar />,
};

function fresh(key: string, kind: Window["kind"]): Window {
  const day = new Date(Date.now() + 7 * 86_400_000).toISOString().slice(0, 10);
  return {
    key,
    name: kind === "freeze" ? "New freeze" : "New window",
    kind,
    zone: "Europe/London",
    from: `${day}T01:30`,
    to: `${day}T04:30`,
    rrule: kind === "freeze" ? null : "FREQ=WEEKLY",
  };
}

function scopeOf(one: Window): string {
  const named = [...(one.services ?? []), ...(one.groups ?? []), ...(one.items ?? [])];
  return named.length === 0 ? "everything" : named.length > 2 ? `${named[0] ?? ""} and ${named.length - 1} more` : named.join(", ");
}

function WindowEditor({ stored }: { stored: Window }) {
  const { words, document } = useBook();
  const editing = useEntry<Window>("windows", stored.key, stored);
  const one = editing.value;
  const set = (change: Partial<Window>) => editing.set({ ...one, ...change });
  const rule = one.rrule ?? "";
  const often = /FREQ=([A-Z]+)/.exec(rule)?.[1] ?? "";
  const byDay = /BYDAY=([A-Z0-9,+-]+)/.exec(rule)?.[1]?.split(",") ?? [];
  const groups = entriesOf<{ key: string; name: string }>(document, "item_groups");
  const toggle = (day: string) => {
    const days = byDay.includes(day) ? byDay.filter((each) => each !== day) : [...byDay, day];
    const rest = rule.split(";").filter((part) => !part.startsWith("BYDAY="));
    set({ rrule: [...rest, ...(days.length > 0 ? [`BYDAY=${DAYS.filter((each) => days.includes(each)).join(",")}`] : [])].join(";") });
  };
  return (
    <>
      <EditState editing={editing} />
      <label className="flex items-baseline gap-3">
        <span className="text-ink-2">name</span>
        <TextInput label="Name" isName value={one.name} onChange={(name) => set({ name })} />
      </label>
      <p className="mt-2 text-[16px] leading-8">
        A{" "}
        <PickOne
          label="Kind"
          options={[
            { key: "maintenance", name: "maintenance window" },
            { key: "freeze", name: "freeze" },
          ]}
          value={one.kind}
          onChange={(kind) => set({ kind: kind as Window["kind"] })}
        />{" "}
        for{" "}
        <PickMany
          label="Services"
          options={options(words.services)}
          value={one.services ?? []}
          onChange={(services) => set({ services })}
          placeholder={(one.groups ?? []).length + (one.items ?? []).length > 0 ? "no service" : "everything"}
        />
        {groups.length > 0 ? (
          <>
            {" "}
            and the items of{" "}
            <PickMany
              label="Groups of items"
              options={options(groups.map((group) => group.name))}
              value={one.groups ?? []}
              onChange={(chosen) => set({ groups: chosen })}
              placeholder="no group"
            />
          </>
        ) : null}
        .
      </p>
      <Part title="When">
        <div className="flex flex-wrap items-center gap-2">
          <span className="text-ink-2">the first from</span>
          <span className="w-[230px]">
            <WhenInput props={{ "aria-label": "The first begins" }} value={one.from} onChange={(from) => from && set({ from })} />
          </span>
          <span className="text-ink-2">to</span>
          <span className="w-[230px]">
            <WhenInput props={{ "aria-label": "The first ends" }} value={one.to} onChange={(to) => to && set({ to })} />
          </span>
          <span className="text-ink-2">in</span>
          <input
            aria-label="Time zone"
            className={`${smallInput} w-[170px]`}
            value={one.zone}
            onChange={(event) => set({ zone: event.target.value })}
          />
        </div>
        <p className="mt-2 text-[16px] leading-8">
          It is open{" "}
          <PickOne
            label="How often"
            options={OFTEN.map(([key, name]) => ({ key, name }))}
            value={often}
            onChange={(next) => set({ rrule: next === "" ? null : `FREQ=${next}` })}
          />
          {often === "WEEKLY" ? (
            <span className="ml-2 inline-flex flex-wrap gap-1" role="group" aria-label="On which days">
              {DAYS.map((day, index) => (
                <button
                  key={day}
                  type="button"
                  aria-pressed={byDay.includes(day)}
                  className={`min-h-[28px] rounded-full border px-2 text-[14px] ${byDay.includes(day) ? "border-ink bg-ink text-sheet" : "border-line"}`}
                  onClick={() => toggle(day)}
                >
                  {DAY_NAMES[index]}
                </button>
              ))}
            </span>
          ) : null}
        </p>
        {one.rrule !== null && one.rrule !== undefined ? (
          <label className="flex flex-wrap items-center gap-2">
            <span className="text-ink-2">as a rule of recurrence (RFC 5545)</span>
            <input
              aria-label="Rule of recurrence"
              spellCheck={false}
              className={`${smallInput} w-[min(420px,100%)] font-mono text-[13px]`}
              value={rule}
              onChange={(event) => set({ rrule: event.target.value.toUpperCase().replace(/^RRULE:/, "") })}
            />
          </label>
        ) : null}
        <label className="mt-2 flex flex-wrap items-center gap-2">
          <span className="text-ink-2">but not on</span>
          <input
            aria-label="Dates on which it falls out"
            placeholder="2026-12-24, 2026-12-31"
            className={`${smallInput} w-[min(420px,100%)]`}
            defaultValue={(one.except ?? []).join(", ")}
            onBlur={(event) => set({ except: event.target.value.split(/[\s,]+/).filter((day) => /^\d{4}-\d{2}-\d{2}$/.test(day)) })}
          />
        </label>
      </Part>
      <Following one={one} />
    </>
  );
}

/** What was understood, and the next ten times, to scale of a day. */
function Following({ one }: { one: Window }) {
  const body = useDebounced(
    JSON.stringify({ zone: one.zone, starts: one.from, ends: one.to, rrule: one.rrule ?? "", but_on: one.except ?? [] }),
    250,
  );
  const { data } = useQuery({
    queryKey: ["window", body],
    queryFn: () =>
      ok(api.POST("/api/changes/windows", { body: JSON.parse(body) as { zone: string; starts: string; ends: string; rrule: string } })),
    placeholderData: (before) => before,
  });
  if (!data) return null;
  return (
    <Part title="Which is">
      {data.problem ? (
        <p className="text-rust" role="alert">
          {data.problem}
        </p>
      ) : (
        <p aria-live="polite">
          <b>{data.says}</b> <span className="text-ink-2">({one.zone})</span>
        </p>
      )}
      {!data.problem && data.following.length === 0 ? <p className="text-ink-2">It is never open again.</p> : null}
      <ol className="mt-1 grid grid-cols-[repeat(auto-fill,minmax(240px,1fr))] gap-x-4">
        {data.following.map((each) => (
          <li key={each.start_s} className="flex items-center gap-2 py-0.5" title={`${exact(each.start_s)} to ${exact(each.end_s)}`}>
            <span className="w-[150px] shrink-0 tabular-nums">{exact(each.start_s).replace(/,? \d{2}:\d{2}.*$/, "")}</span>
            <span className="tabular-nums text-ink-2">
              {clockTime(each.start_s)}–{each.end_s - each.start_s > 86_400 ? `${weekday(each.end_s)} ` : ""}
              {clockTime(each.end_s)}
            </span>
          </li>
        ))}
      </ol>
    </Part>
  );
}
