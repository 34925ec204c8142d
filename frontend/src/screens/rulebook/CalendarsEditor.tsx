import { useState } from "react";
import { useSearchParams } from "react-router";
import { Button, Loading } from "../../parts/ui";
import { type Calendar, type Hours, useBook, useEdit, useEntry } from "./data";
import { openEntry } from "./edits";
import { keyFrom } from "./edits";
import { entriesOf } from "./edits";
import { EditState, Part, smallInput, TextInput } from "./parts";
import { WeekGrid } from "./WeekGrid";
import { dayWords, SpecialDays } from "./CalendarDays";
import { Calculator, YearPreview } from "./CalendarPreview";

export function CalendarsEditor() {
  const { document } = useBook();
  const [params, setParams] = useSearchParams();
  const edit = useEdit();
  const all = entriesOf<Calendar>(document, "calendars");
  const open = openEntry(all, params.get("open"));
  const add = (copy?: Calendar) => {
    const name = copy ? `${copy.name}, a copy` : "New calendar";
    const key = keyFrom(
      name,
      all.map((one) => one.key),
    );
    const office = Object.fromEntries(["mon", "tue", "wed", "thu", "fri"].map((day) => [day, [["08:00", "18:00"]]])) as unknown as Hours;
    const after: Calendar = copy
      ? { ...copy, key, name }
      : { key, name, zone: "Europe/London", weeks: [{ from: "2020-01-01", hours: office }], exceptions: [] };
    edit.mutate({ section: "calendars", key, before: null, after }, { onSuccess: () => setParams({ open: key }) });
  };
  return (
    <>
      <div className="flex flex-wrap items-center gap-1">
        {all.map((one) => (
          <button
            key={one.key}
            type="button"
            aria-current={one.key === open?.key}
            className={`rounded-small border px-2 py-0.5 ${one.key === open?.key ? "border-crown bg-crown-2 font-bold" : "border-line hover:bg-sea-3"}`}
            onClick={() => setParams({ open: one.key })}
          >
            {one.name}
          </button>
        ))}
        <button type="button" className="px-1.5 text-ink-2 hover:text-ink" onClick={() => add()}>
          + new
        </button>
        <button type="button" className="px-1.5 text-ink-2 hover:text-ink" disabled={!open} onClick={() => add(open)}>
          + copy of this
        </button>
      </div>
      {open ? <CalendarEditor key={open.key} stored={open} onGone={() => setParams({})} /> : <Loading what="the calendar" />}
    </>
  );
}

function CalendarEditor({ stored, onGone }: { stored: Calendar; onGone: () => void }) {
  const { words } = useBook();
  const editing = useEntry<Calendar>("calendars", stored.key, stored);
  const edit = useEdit();
  const [season, setSeason] = useState(0);
  const calendar = editing.value;
  const set = (change: Partial<Calendar>) => editing.set({ ...calendar, ...change });
  const weeks = calendar.weeks;
  const at = Math.min(season, weeks.length - 1);
  const week = weeks[at];
  const setWeek = (change: Partial<Calendar["weeks"][number]>) =>
    set({ weeks: weeks.map((old, index) => (index === at ? { ...old, ...change } : old)) });
  return (
    <article className="mt-3 border-t border-line pt-3">
      <EditState editing={editing} />
      <div className="flex flex-wrap items-baseline gap-3">
        <TextInput
          label="Name"
          className="min-w-0 flex-1 rounded-small border border-transparent bg-transparent text-[20px] font-bold hover:border-line-2 focus:border-line-2"
          value={calendar.name}
          onChange={(name) => set({ name })}
        />
        <label className="text-ink-2">
          zone{" "}
          <input
            list="zones"
            className={`${smallInput} w-44`}
            value={calendar.zone}
            onChange={(event) => set({ zone: event.target.value })}
          />
          <datalist id="zones">
            {words.zones.map((zone) => (
              <option key={zone} value={zone} />
            ))}
          </datalist>
        </label>
      </div>
      <Part
        title="Seasons"
        aside={
          <button
            type="button"
            className="why text-ink-2"
            onClick={() => {
              set({ weeks: [...weeks, { from: "04-01", hours: week?.hours ?? {} }] });
              setSeason(weeks.length);
            }}
          >
            add a season
          </button>
        }
      >
        <div className="flex flex-wrap items-center gap-2">
          {weeks.map((one, index) => (
            <button
              key={index}
              type="button"
              aria-current={index === at}
              onClick={() => setSeason(index)}
              className={`rounded-small border px-2 py-0.5 ${index === at ? "border-crown bg-crown-2 font-bold" : "border-line"}`}
            >
              {seasonWords(one.from)}
            </button>
          ))}
          <label className="text-ink-2">
            from{" "}
            <TextInput
              label="From: a date, or a day that returns every year"
              className={`${smallInput} w-28`}
              value={week?.from ?? ""}
              onChange={(from) => setWeek({ from })}
            />
          </label>
          <span className="text-[13px] text-ink-2">2027-04-01, or 04-01 for every year</span>
          {weeks.length > 1 ? (
            <button
              type="button"
              className="why text-ink-2"
              onClick={() => {
                set({ weeks: weeks.filter((_, index) => index !== at) });
                setSeason(0);
              }}
            >
              remove
            </button>
          ) : null}
        </div>
        {week ? <WeekGrid hours={week.hours} onChange={(hours) => setWeek({ hours })} /> : null}
      </Part>
      <SpecialDays calendar={calendar} onChange={(exceptions) => set({ exceptions })} />
      <Calculator calendar={calendar} />
      <YearPreview calendar={calendar} />
      <div className="mt-4 border-t border-line pt-3 text-right">
        <Button
          tone="quiet"
          onClick={() => edit.mutate({ section: "calendars", key: calendar.key, before: stored, after: null }, { onSuccess: onGone })}
        >
          Remove this calendar
        </Button>
      </div>
    </article>
  );
}

function seasonWords(from: string): string {
  return from.length === 5 ? `every year from ${dayWords(`2001-${from}`, false)}` : `from ${dayWords(from, true)}`;
}
