import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok, sentence } from "../../api/client";
import { useNow } from "../../parts/hooks";
import { instantOfLocal, localInput, when } from "../../parts/time";
import { type Calendar, NEEDLE } from "./data";
import { Part, smallInput, SpanInput } from "./parts";
import { WhenInput } from "../../parts/WhenInput";

export function Calculator({ calendar }: { calendar: Calendar }) {
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
        <WhenInput props={{ "aria-label": "From" }} className={smallInput} value={start} onChange={(next) => setStart(next)} /> is{" "}
        <b>{data ? data.local : error ? "…" : "…"}</b> {data ? `in ${calendar.zone}` : ""}
      </p>
      {error ? <p className="text-rust">{sentence(error)}</p> : null}
      {data ? (
        <p className="text-[13px] text-ink-2">
          {data.rows.map((row, index) => (
            <span key={index} className={row.kind === "counted" ? "text-ink" : ""}>
              {index > 0 ? " · " : ""}
              {when(Date.parse(row.from) / 1000, now)} {row.kind} {Math.floor(row.seconds / 3600)} h{" "}
              {String(Math.round((row.seconds % 3600) / 60)).padStart(2, "0")}
            </span>
          ))}
        </p>
      ) : null}
    </Part>
  );
}

export function YearPreview({ calendar }: { calendar: Calendar }) {
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
              <p className="text-[12px] text-ink-2">
                {new Intl.DateTimeFormat("en-GB", { month: "long", timeZone: "UTC" }).format(new Date(Date.UTC(year, month, 1)))}
              </p>
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
                    <span
                      className="absolute inset-x-0 bottom-0 bg-sea"
                      style={{ height: `${Math.round((100 * day.seconds) / most)}%`, opacity: day.seconds ? 0.85 : 0 }}
                    />
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
