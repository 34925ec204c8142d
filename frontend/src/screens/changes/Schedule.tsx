import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useSearchParams } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { useWidth } from "../../parts/hooks";
import { clockTime, exact, startOfDay } from "../../parts/time";
import { Button, Dialog, ErrorNote } from "../../parts/ui";
import { lanesOf, type LaneBy, LANES, type Planned, SPANS, spanOf, type SpanKey, ticksOf } from "./lanes";
import type { Span } from "./moving";
import { ScheduleBar } from "./ScheduleBar";
import { ScheduleViews } from "./ScheduleViews";

const LABEL = 150;
const ROW = 26;

/** Every change that takes time in a span, in lanes, among windows and freezes. */
export function Schedule({ now, words, onWords }: { now: number; words: string; onWords: (words: string) => void }) {
  const queries = useQueryClient();
  const [asked, setAsked] = useState<{ change: Planned; span: Span } | null>(null);
  const [params, setParams] = useSearchParams();
  const key = (params.get("span") ?? "fortnight") as SpanKey;
  const by = (params.get("by") ?? "service") as LaneBy;
  const shift = Number.parseInt(params.get("shift") ?? "0", 10) || 0;
  const setAll = (values: Record<string, string>) =>
    setParams(
      (old) => {
        const next = new URLSearchParams(old);
        for (const [name, value] of Object.entries(values)) {
          if (value === "") next.delete(name);
          else next.set(name, value);
        }
        return next;
      },
      { replace: !("shift" in values) },
    );
  const set = (name: string, value: string) => setAll({ [name]: value });
  const [from, to] = useMemo(() => spanOf(key, shift, now), [key, shift, startOfDay(now)]); // eslint-disable-line react-hooks/exhaustive-deps
  const { data, error, isFetching } = useQuery({
    queryKey: ["schedule", from, to],
    queryFn: () =>
      ok(
        api.GET("/api/changes/schedule", {
          params: { query: { from: new Date(from * 1000).toISOString(), to: new Date(to * 1000).toISOString() } },
        }),
      ),
    staleTime: 20_000,
    placeholderData: (before) => before,
  });
  const [box, width] = useWidth<HTMLDivElement>();
  const folded = words.trim().toLowerCase();
  const shown = (data?.changes ?? []).filter(
    (one) => folded === "" || `${one.id} ${one.title} ${one.service} ${one.holder} ${one.team}`.toLowerCase().includes(folded),
  );
  const lanes = lanesOf(shown, by, from, to);
  const clashing = new Set(data?.clashing ?? []);
  const track = Math.max(200, width - LABEL - 2);
  const x = (at: number) => ((Math.min(Math.max(at, from), to) - from) / (to - from)) * track;
  const ticks = ticksOf(key, from, to);
  const move = async (change: Planned, span: Span, back?: Span) => {
    try {
      const after = await ok(
        api.PATCH("/api/changes/{number}", {
          params: { path: { number: change.id } },
          body: {
            starts: new Date(span.starts * 1000).toISOString(),
            ends: new Date(span.ends * 1000).toISOString(),
            version: change.version,
          },
        }),
      );
      const undo = () => void move({ ...change, version: after.version }, back ?? span);
      toast(
        `${change.id} is planned for ${exact(span.starts)}, until ${clockTime(span.ends)}.`,
        back ? { duration: 9500, action: { label: "Undo", onClick: undo } } : undefined,
      );
    } catch (problem) {
      toast.error(sentence(problem));
    } finally {
      for (const other of ["schedule", "changes", "ticket"]) void queries.invalidateQueries({ queryKey: [other] });
    }
  };
  /** What is authorised is not moved by a slip of the hand: that is asked first. */
  const wish = (change: Planned, span: Span) => {
    if (change.state === "planned" || change.state === "authorise") setAsked({ change, span });
    else void move(change, span, { starts: change.starts_s ?? span.starts, ends: change.ends_s ?? span.ends });
  };
  return (
    <section aria-label="Schedule" className="rounded-card border border-line bg-sheet">
      <div className="flex flex-wrap items-center gap-2 border-b border-line px-3.5 py-2">
        <h2 className="font-bold">Schedule</h2>
        <span className="text-[13px] text-ink-2">{`${exactDay(from)} to ${exactDay(to - 1)}${isFetching ? " …" : ""}`}</span>
        <span className="ml-auto flex flex-wrap items-center gap-1.5">
          <Button aria-label="Earlier" onClick={() => set("shift", String(shift - 1))}>
            ‹
          </Button>
          <Button onClick={() => set("shift", "")}>Today</Button>
          <Button aria-label="Later" onClick={() => set("shift", String(shift + 1))}>
            ›
          </Button>
          <select
            aria-label="How much is drawn"
            className="rounded-small border border-line-2 bg-sheet px-2 py-1"
            value={key}
            onChange={(event) => set("span", event.target.value)}
          >
            {SPANS.map(([value, label]) => (
              <option key={value} value={value}>
                {label}
              </option>
            ))}
          </select>
          <select
            aria-label="Lanes by"
            className="rounded-small border border-line-2 bg-sheet px-2 py-1"
            value={by}
            onChange={(event) => set("by", event.target.value)}
          >
            {LANES.map(([value, label]) => (
              <option key={value} value={value}>
                by {label}
              </option>
            ))}
          </select>
          <ScheduleViews
            span={key}
            by={by}
            words={words}
            onChoose={(view) => {
              setAll({ span: view.span, by: view.by, shift: "" });
              onWords(view.words);
            }}
          />
        </span>
      </div>
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      <div ref={box} className="overflow-x-auto">
        <div className="relative" style={{ width: LABEL + track }}>
          <div className="relative h-[26px] border-b border-line text-[12px] text-ink-2" style={{ marginLeft: LABEL }} aria-hidden="true">
            {ticks.map((tick) => (
              <span
                key={tick.at}
                className={`absolute top-1 whitespace-nowrap pl-1 ${tick.isToday ? "font-bold text-ink" : ""}`}
                style={{ left: x(tick.at) }}
              >
                {tick.label}
              </span>
            ))}
          </div>
          <div className="absolute bottom-0 top-[26px]" style={{ left: LABEL, width: track }} aria-hidden="true">
            {(data?.windows ?? []).map((one, index) => (
              <span
                key={index}
                title={`${one.name}: ${exact(one.start_s)} to ${exact(one.end_s)}`}
                className={`absolute inset-y-0 ${one.kind === "freeze" ? "freeze" : "bg-sea-3"}`}
                style={{ left: x(one.start_s), width: Math.max(1, x(one.end_s) - x(one.start_s)) }}
              />
            ))}
            {ticks.map((tick) => (
              <span key={tick.at} className="absolute inset-y-0 w-px bg-line" style={{ left: x(tick.at) }} />
            ))}
            {now >= from && now < to ? <span className="absolute inset-y-0 w-[2px] bg-ink" style={{ left: x(now) }} /> : null}
          </div>
          {lanes.length === 0 ? (
            <p className="relative px-3.5 py-6 text-center text-ink-2">
              {folded ? "No change of this time has these words." : "No change takes time in this span."}
            </p>
          ) : (
            <ul>
              {lanes.map((lane) => (
                <li key={lane.name} className="relative flex border-b border-line last:border-0" aria-label={lane.name}>
                  <span className="z-10 shrink-0 truncate px-3.5 py-1.5" style={{ width: LABEL }} title={lane.name}>
                    {lane.name}
                  </span>
                  <ul className="relative" style={{ width: track, height: lane.rows * ROW + 8 }}>
                    {lane.bars.map((bar) => (
                      <ScheduleBar
                        key={bar.change.id}
                        bar={bar}
                        x={x}
                        seconds={(to - from) / track}
                        spanKey={key}
                        now={now}
                        isClash={clashing.has(bar.change.id)}
                        track={track}
                        onMove={wish}
                      />
                    ))}
                  </ul>
                </li>
              ))}
            </ul>
          )}
        </div>
      </div>
      {asked ? (
        <Dialog
          title={`Move ${asked.change.id}?`}
          about={`${asked.change.title} goes to ${exact(asked.span.starts)}, until ${clockTime(asked.span.ends)}. Those who authorised its time are asked again.`}
          isOpen
          onClose={() => setAsked(null)}
        >
          <p className="flex gap-2">
            <Button
              tone="sea"
              autoFocus
              onClick={() => {
                setAsked(null);
                void move(asked.change, asked.span);
              }}
            >
              Move it
            </Button>
            <Button onClick={() => setAsked(null)}>Leave it</Button>
          </p>
        </Dialog>
      ) : null}
      <Legend windows={(data?.windows ?? []).filter((one) => one.kind === "freeze").map((one) => one.name)} />
    </section>
  );
}

function exactDay(at: number): string {
  return exact(at)
    .split(",")
    .slice(0, 2)
    .join(",")
    .replace(/ \d{4}$/, "");
}

function Legend({ windows }: { windows: string[] }) {
  const keys: [string, string][] = [
    ["bg-sea-2", "low"],
    ["bg-sea", "moderate"],
    ["bg-ink", "high"],
    ["border-[1.5px] border-dashed border-ink", "not yet authorised"],
    ["bg-sea outline outline-2 outline-offset-1 outline-rust", "emergency"],
    ["bg-line-2", "over"],
    ["border border-rust bg-rust-2", "over, not well"],
    ["bg-sea-3 border border-line", "maintenance window"],
    ["freeze border border-line", windows.length > 0 ? `freeze: ${[...new Set(windows)].join(", ")}` : "freeze"],
  ];
  return (
    <p className="flex flex-wrap gap-x-4 gap-y-1 border-t border-line px-3.5 py-1.5 text-[13px] text-ink-2">
      {keys.map(([look, says]) => (
        <span key={says} className="inline-flex items-center gap-1.5">
          <span className={`inline-block h-[11px] w-[20px] rounded-[3px] ${look}`} aria-hidden="true" /> {says}
        </span>
      ))}
    </p>
  );
}
