import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { useNow } from "../../parts/hooks";
import { instantOfLocal, localInput, when } from "../../parts/time";
import { Button, Loading } from "../../parts/ui";
import { type Calendar, entriesOf, type Hours, keyFrom, NEEDLE, openEntry, useBook, useEdit, useEntry } from "./data";
import { EditState, Part, smallInput, SpanInput, TextInput } from "./parts";
import { readTime, WeekGrid } from "./WeekGrid";

type Exception = NonNullable<Calendar["exceptions"]>[number];

export function CalendarsEditor() {
  const { document } = useBook();
  const [params, setParams] = useSearchParams();
  const edit = useEdit();
  const all = entriesOf<Calendar>(document, "calendars");
  const open = openEntry(all, params.get("open"));
  const add = (copy?: Calendar) => {
    const name = copy ? `${copy.name}, a copy` : "New calendar";
    const key = keyFrom(name, all.map((one) => one.key));
    const office = Object.fromEntries(["mon", "tue", "wed", "thu", "fri"].map((day) => [day, [["08:00", "18:00"]]])) as unknown as Hours;
    const after: Calendar = copy ? { ...copy, key, name } : { key, name, zone: "Europe/London", weeks: [{ from: "2020-01-01", hours: office }], exceptions: [] };
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
  const setWeek = (change: Partial<Calendar["weeks"][number]>) => set({ weeks: weeks.map((old, index) => (index === at ? { ...old, ...change } : old)) });
  return (
    <article className="mt-3 border-t border-line pt-3">
      <EditState editing={editing} />
      <div className="flex flex-wrap items-baseline gap-3">
        <TextInput label="Name" className="min-w-0 flex-1 rounded-small border border-transparent bg-transparent text-[20px] font-bold hover:border-line-2 focus:border-line-2" value={calendar.name} onChange={(name) => set({ name })} />
        <label className="text-ink-2">
          zone{" "}
          <input list="zones" className={`${smallInput} w-44`} value={calendar.zone} onChange={(event) => set({ zone: event.target.value })} />
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
          <button type="button" className="why text-ink-2" onClick={() => { set({ weeks: [...weeks, { from: "04-01", hours: week?.hours ?? {} }] }); setSeason(weeks.length); }}>
            add a season
          </button>
        }
      >
        <div className="flex flex-wrap items-center gap-2">
          {weeks.map((one, index) => (
            <button key={index} type="button" aria-current={index === at} onClick={() => setSeason(index)} className={`rounded-small border px-2 py-0.5 ${index === at ? "border-crown bg-crown-2 font-bold" : "border-line"}`}>
              {seasonWords(one.from)}
            </button>
          ))}
          <label className="text-ink-2">
            from{" "}
            <TextInput label="From: a date, or a day that returns every year" className={`${smallInput} w-28`} value={week?.from ?? ""} onChange={(from) => setWeek({ from })} />
          </label>
          <span className="text-[13px] text-ink-2">2027-04-01, or 04-01 for every year</span>
          {weeks.length > 1 ? (
            <button type="button" className="why text-ink-2" onClick={() => { set({ weeks: weeks.filter((_, index) => index !== at) }); setSeason(0); }}>
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
        <Button tone="quiet" onClick={() => edit.mutate({ section: "calendars", key: calendar.key, before: stored, after: null }, { onSuccess: onGone })}>
          Remove this calendar
        </Button>
      </div>
    </article>
  );
}

function seasonWords(from: string): string {
  return from.length === 5 ? `every year from ${dayWords(`2001-${from}`, false)}` : `from ${dayWords(from, true)}`;
}

function dayWords(date: string, withYear: boolean): string {
  const day = new Date(`${date}T12:00:00Z`);
  return Number.isNaN(day.getTime()) ? date : new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", timeZone: "UTC", ...(withYear ? { year: "numeric" } : {}) }).format(day);
}

function SpecialDays({ calendar, onChange }: { calendar: Calendar; onChange: (exceptions: Exception[]) => void }) {
  const exceptions = [...(calendar.exceptions ?? [])].sort((one, other) => one.date.localeCompare(other.date));
  const [date, setDate] = useState("");
  const [hours, setHours] = useState("");
  const [showsAll, setShowsAll] = useState(false);
  const today = new Date().toISOString().slice(0, 10);
  const shown = showsAll ? exceptions : exceptions.filter((one) => one.date >= today).slice(0, 12);
  const merge = (days: { date: string; name?: string }[]) => {
    const known = new Set(exceptions.map((one) => one.date));
    const fresh = days.filter((day) => !known.has(day.date)).map((day) => ({ date: day.date, hours: [] as [string, string][], ...(day.name ? { name: day.name } : {}) }));
    onChange([...exceptions, ...fresh]);
    toast(`${fresh.length} days added, ${days.length - fresh.length} were there already.`);
  };
  const add = () => {
    const spans = readSpans(hours);
    if (!date || spans === null) return;
    onChange([...exceptions.filter((one) => one.date !== date), { date, hours: spans }]);
    setDate("");
    setHours("");
  };
  return (
    <Part title={`Special days (${exceptions.length})`} aside={exceptions.length > shown.length || showsAll ? <button type="button" className="why text-ink-2" onClick={() => setShowsAll(!showsAll)}>{showsAll ? "only those to come" : "all of them"}</button> : undefined}>
      <ul className="flex flex-wrap gap-1.5">
        {shown.map((one) => (
          <li key={one.date} className="flex items-center gap-1.5 rounded-small border border-line px-2 py-0.5" title={one.name}>
            <b>{dayWords(one.date, true)}</b>
            <span className="text-ink-2">{one.hours.length === 0 ? "closed" : one.hours.map((span) => span.join("–")).join(", ")}{one.name ? ` · ${one.name}` : ""}</span>
            <button type="button" aria-label={`Remove ${one.date}`} className="min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust" onClick={() => onChange(exceptions.filter((other) => other.date !== one.date))}>
              ×
            </button>
          </li>
        ))}
      </ul>
      <div className="mt-2 flex flex-wrap items-center gap-2">
        <input type="date" aria-label="Special day" className={smallInput} value={date} onChange={(event) => setDate(event.target.value)} />
        <input aria-label="Hours of the special day" placeholder="closed, or 05:30-14:00" className={`${smallInput} w-44`} value={hours} onChange={(event) => setHours(event.target.value)} aria-invalid={readSpans(hours) === null || undefined} />
        <Button onClick={add} disabled={!date || readSpans(hours) === null}>
          Add the day
        </Button>
        <Holidays onDays={merge} />
      </div>
    </Part>
  );
}

/** "05:30-14:00, 15:00-22:00" as spans; nothing is closed; null when it cannot be read. */
function readSpans(text: string): [string, string][] | null {
  if (text.trim() === "" || text.trim() === "closed") return [];
  const spans = text.split(",").map((part) => part.trim().split(/\s*[-–]\s*/));
  if (!spans.every((pair) => pair.length === 2 && pair.every((time) => readTime(time) !== null))) return null;
  return spans as [string, string][];
}

function Holidays({ onDays }: { onDays: (days: { date: string; name?: string }[]) => void }) {
  const [country, setCountry] = useState("GB");
  const [region, setRegion] = useState("ENG");
  const countries = useQuery({ queryKey: [...NEEDLE, "countries"], queryFn: () => ok(api.GET("/api/rulebook/countries")), staleTime: Infinity });
  const read = useMutation({
    mutationFn: (body: { country?: string; region?: string; years?: number[]; ics?: string }) =>
      ok(api.POST("/api/rulebook/holidays", { body: { country: "", region: "", ics: "", years: [], ...body } })),
    onSuccess: onDays,
    onError: (error) => toast.error(sentence(error)),
  });
  const regions = countries.data?.find((one) => one.key === country)?.regions ?? [];
  const year = new Date().getFullYear();
  return (
    <span className="flex flex-wrap items-center gap-2 text-ink-2">
      or the public holidays of
      <select aria-label="Country" className={`${smallInput} max-w-40`} value={country} onChange={(event) => { setCountry(event.target.value); setRegion(""); }}>
        {countries.data?.map((one) => (
          <option key={one.key} value={one.key}>
            {one.name}
          </option>
        ))}
      </select>
      <select aria-label="Region" className={smallInput} value={region} onChange={(event) => setRegion(event.target.value)}>
        <option value="">everywhere</option>
        {regions.map((one) => (
          <option key={one}>{one}</option>
        ))}
      </select>
      <Button disabled={read.isPending} onClick={() => read.mutate({ country, region, years: [year, year + 1, year + 2] })}>
        Add {year}–{year + 2}
      </Button>
      <label className="why cursor-pointer">
        from an .ics file
        <input
          type="file"
          accept=".ics,text/calendar"
          className="sr-only"
          onChange={(event) => {
            const file = event.target.files?.[0];
            event.target.value = "";
            void file?.text().then((ics) => read.mutate({ ics }));
          }}
        />
      </label>
    </span>
  );
}

function Calculator({ calendar }: { calendar: Calendar }) {
  const now = useNow();
  const [start, setStart] = useState(() => localInput(now));
  const [seconds, setSeconds] = useState(4 * 3600);
  const startAt = start ? new Date(instantOfLocal(start) * 1000).toISOString() : "";
  const { data, error } = useQuery({
    queryKey: [...NEEDLE, "calculate", calendar, startAt, seconds],
    queryFn: () => ok(api.POST("/api/rulebook/calculate", { body: { calendar: calendar as never, start: startAt, seconds } })),
    enabled: startAt !== "",
    retry: false,
    staleTime: Infinity,
  });
  return (
    <Part title="What it comes to">
      <p className="leading-8">
        <SpanInput label="How much service time" seconds={seconds} onChange={(next) => setSeconds(next ?? 3600)} /> from{" "}
        <input type="datetime-local" aria-label="From" className={smallInput} value={start} onChange={(event) => setStart(event.target.value)} /> is{" "}
        <b>{data ? data.local : error ? "…" : "…"}</b> {data ? `in ${calendar.zone}` : ""}
      </p>
      {error ? <p className="text-rust">{sentence(error)}</p> : null}
      {data ? (
        <p className="text-[13px] text-ink-2">
          {data.rows.map((row, index) => (
            <span key={index} className={row.kind === "counted" ? "text-ink" : ""}>
              {index > 0 ? " · " : ""}
              {when(Date.parse(row.from) / 1000, now)} {row.kind} {Math.floor(row.seconds / 3600)} h {String(Math.round((row.seconds % 3600) / 60)).padStart(2, "0")}
            </span>
          ))}
        </p>
      ) : null}
    </Part>
  );
}

function YearPreview({ calendar }: { calendar: Calendar }) {
  const [year, setYear] = useState(new Date().getFullYear());
  const { data, error } = useQuery({
    queryKey: [...NEEDLE, "year", calendar, year],
    queryFn: () => ok(api.POST("/api/rulebook/year", { body: { calendar: calendar as never, year } })),
    retry: false,
    staleTime: Infinity,
    placeholderData: (old) => old,
  });
  const most = Math.max(1, ...(data ?? []).map((day) => day.seconds));
  return (
    <Part
      title={`The year ${year}`}
      aside={
        <span>
          <button type="button" className="h-[24px] w-[28px]" aria-label="The year before" onClick={() => setYear(year - 1)}>
            ‹
          </button>
          <button type="button" className="h-[24px] w-[28px]" aria-label="The year after" onClick={() => setYear(year + 1)}>
            ›
          </button>
        </span>
      }
    >
      {error ? <p className="text-rust">{sentence(error)}</p> : null}
      <div className="grid grid-cols-6 gap-x-4 gap-y-2 max-[1300px]:grid-cols-4 max-[760px]:grid-cols-2">
        {Array.from({ length: 12 }, (_, month) => {
          const days = (data ?? []).filter((day) => Number(day.date.slice(5, 7)) === month + 1);
          const first = new Date(Date.UTC(year, month, 1)).getUTCDay();
          return (
            <div key={month}>
              <p className="text-[12px] text-ink-2">{new Intl.DateTimeFormat("en-GB", { month: "long", timeZone: "UTC" }).format(new Date(Date.UTC(year, month, 1)))}</p>
              <div className="grid grid-cols-7 gap-px">
                {Array.from({ length: (first + 6) % 7 }, (_, blank) => (
                  <span key={`b${blank}`} />
                ))}
                {days.map((day) => (
                  <span
                    key={day.date}
                    title={`${day.date}: ${day.hours.length === 0 ? "closed" : day.hours.map((span) => span.join("–")).join(", ")}${day.is_exception ? " (special day)" : ""}`}
                    className={`relative block h-3.5 overflow-hidden rounded-[2px] bg-closed ${day.is_exception ? "outline outline-crown" : ""}`}
                  >
                    <span className="absolute inset-x-0 bottom-0 bg-sea" style={{ height: `${Math.round((100 * day.seconds) / most)}%`, opacity: day.seconds ? 0.85 : 0 }} />
                  </span>
                ))}
              </div>
            </div>
          );
        })}
      </div>
      <p className="mt-1 text-[12px] text-ink-2">Filled as far as it is open; special days are framed.</p>
    </Part>
  );
}
