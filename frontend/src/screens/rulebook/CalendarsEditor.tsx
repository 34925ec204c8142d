import { useState } from "react";
import { type Calendar, type Hours, useBook, useEntry } from "./data";
import type { SectionSpec } from "./section/spec";
import { EditState, options, Part, smallInput, TextInput } from "./parts";
import { WeekGrid } from "./WeekGrid";
import { dayWords, SpecialDays } from "./CalendarDays";
import { Calculator, YearPreview } from "./CalendarPreview";

const OFFICE = Object.fromEntries(["mon", "tue", "wed", "thu", "fri"].map((day) => [day, [["08:00", "18:00"]]])) as unknown as Hours;

export const calendars: SectionSpec<Calendar> = {
  section: "calendars",
  title: "Calendars",
  one: "calendar",
  about: "Hours of service by season, with the days that differ. SLAs count their time on them.",
  nameOf: (one) => one.name,
  freshName: "New calendar",
  columns: [
    { label: "zone", of: (one) => one.zone },
    { label: "seasons", of: (one) => String(one.weeks.length), isRight: true },
    { label: "special days", of: (one) => String(one.exceptions?.length ?? 0), isRight: true },
  ],
  bulk: [{ name: "zone", label: "zone", choices: ({ words }) => options(words.zones) }],
  fresh: [
    {
      label: "New calendar",
      make: (key) => ({ key, name: "New calendar", zone: "Europe/London", weeks: [{ from: "2020-01-01", hours: OFFICE }], exceptions: [] }),
    },
  ],
  Editor: CalendarEditor,
};

function CalendarEditor({ stored }: { stored: Calendar }) {
  const { words } = useBook();
  const editing = useEntry<Calendar>("calendars", stored.key, stored);
  const [season, setSeason] = useState(0);
  const calendar = editing.value;
  const set = (change: Partial<Calendar>) => editing.set({ ...calendar, ...change });
  const weeks = calendar.weeks;
  const at = Math.min(season, weeks.length - 1);
  const week = weeks[at];
  const setWeek = (change: Partial<Calendar["weeks"][number]>) =>
    set({ weeks: weeks.map((old, index) => (index === at ? { ...old, ...change } : old)) });
  return (
    <article>
      <EditState editing={editing} />
      <div className="flex flex-wrap items-baseline gap-3">
        <TextInput
          label="Name"
          isName
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
    </article>
  );
}

function seasonWords(from: string): string {
  return from.length === 5 ? `every year from ${dayWords(`2001-${from}`, false)}` : `from ${dayWords(from, true)}`;
}
