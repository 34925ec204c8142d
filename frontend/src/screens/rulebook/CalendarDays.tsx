import { WhenInput } from "../../parts/WhenInput";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { Button } from "../../parts/ui";
import { type Calendar, NEEDLE } from "./data";
import { Part, smallInput } from "./parts";
import { readTime } from "./WeekGrid";

type Exception = NonNullable<Calendar["exceptions"]>[number];

export function dayWords(date: string, withYear: boolean): string {
  const day = new Date(`${date}T12:00:00Z`);
  return Number.isNaN(day.getTime())
    ? date
    : new Intl.DateTimeFormat("en-GB", {
        day: "numeric",
        month: "short",
        timeZone: "UTC",
        ...(withYear ? { year: "numeric" } : {}),
      }).format(day);
}

export function SpecialDays({ calendar, onChange }: { calendar: Calendar; onChange: (exceptions: Exception[]) => void }) {
  const exceptions = [...(calendar.exceptions ?? [])].sort((one, other) => one.date.localeCompare(other.date));
  const [date, setDate] = useState("");
  const [hours, setHours] = useState("");
  const [showsAll, setShowsAll] = useState(false);
  const today = new Date().toISOString().slice(0, 10);
  const shown = showsAll ? exceptions : exceptions.filter((one) => one.date >= today).slice(0, 12);
  const merge = (days: { date: string; name?: string }[]) => {
    const known = new Set(exceptions.map((one) => one.date));
    const fresh = days
      .filter((day) => !known.has(day.date))
      .map((day) => ({ date: day.date, hours: [] as [string, string][], ...(day.name ? { name: day.name } : {}) }));
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
    <Part
      title={`Special days (${exceptions.length})`}
      aside={
        exceptions.length > shown.length || showsAll ? (
          <button type="button" className="why text-ink-2" onClick={() => setShowsAll(!showsAll)}>
            {showsAll ? "only those to come" : "all of them"}
          </button>
        ) : undefined
      }
    >
      <ul className="flex flex-wrap gap-1.5">
        {shown.map((one) => (
          <li key={one.date} className="flex items-center gap-1.5 rounded-small border border-line px-2 py-0.5" title={one.name}>
            <b>{dayWords(one.date, true)}</b>
            <span className="text-ink-2">
              {one.hours.length === 0 ? "closed" : one.hours.map((span) => span.join("–")).join(", ")}
              {one.name ? ` · ${one.name}` : ""}
            </span>
            <button
              type="button"
              aria-label={`Remove ${one.date}`}
              className="min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
              onClick={() => onChange(exceptions.filter((other) => other.date !== one.date))}
            >
              ×
            </button>
          </li>
        ))}
      </ul>
      <div className="mt-2 flex flex-wrap items-center gap-2">
        <WhenInput isDay props={{ "aria-label": "Special day" }} className={`${smallInput} w-32`} value={date} onChange={setDate} />
        <input
          aria-label="Hours of the special day"
          placeholder="closed, or 05:30-14:00"
          className={`${smallInput} w-44`}
          value={hours}
          onChange={(event) => setHours(event.target.value)}
          aria-invalid={readSpans(hours) === null || undefined}
        />
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
  const countries = useQuery({
    queryKey: [...NEEDLE, "countries"],
    queryFn: () => ok(api.GET("/api/rulebook/countries")),
    staleTime: Infinity,
  });
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
      <select
        aria-label="Country"
        className={`${smallInput} max-w-40`}
        value={country}
        onChange={(event) => {
          setCountry(event.target.value);
          setRegion("");
        }}
      >
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
