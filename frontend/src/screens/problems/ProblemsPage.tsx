import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { PriorityMark } from "../../parts/marks";
import { about, money } from "../../parts/money";
import { span, when } from "../../parts/time";
import { Button, Empty, ErrorNote, inputClass, Loading } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { PatternsList } from "../services/PatternsList";
import { NewProblem } from "./NewProblem";
import { months } from "./Worth";

type Line = components["schemas"]["ProblemLineShape"];
type Known = components["schemas"]["KnownErrorLineShape"];
type Only = "all" | "decide" | "late" | "known";

/** Patterns waiting for a decision, the open problems by what runs out, and the known errors. */
export function ProblemsPage() {
  const { me } = useSession();
  const { data, error } = useQuery({ queryKey: ["problems"], queryFn: () => ok(api.GET("/api/problems")), staleTime: 20_000 });
  const [params, setParams] = useSearchParams();
  const isNew = params.has("new");
  const setNew = (isOn: boolean) => setParams(isOn ? { new: "" } : {}, { replace: !isOn });
  const [only, setOnly] = useState<Only>("all");
  const [words, setWords] = useState("");
  if (error)
    return (
      <div className="p-6">
        <ErrorNote>{sentence(error)}</ErrorNote>
      </div>
    );
  if (!data) return <Loading what="the problems" />;
  const now = data.now_s;
  const folded = words.trim().toLowerCase();
  const says = (text: string) => folded === "" || text.toLowerCase().includes(folded);
  const isLate = (one: Line) => one.late_from_s !== null && one.late_from_s <= now;
  const isToDecide = (one: Line) => one.is_known && one.until_s === null && !one.is_fix_decided;
  const kept: Record<Only, (one: Line) => boolean> = {
    all: () => true,
    decide: isToDecide,
    late: isLate,
    known: (one) => one.is_known,
  };
  const shown = data.open.filter((one) => kept[only](one) && says(`${one.title} ${one.service} ${one.ci} ${one.id}`));
  const known = data.known.filter((one) => says(`${one.title} ${one.workaround} ${one.service} ${one.id}`));
  const figures: [Only, string, number][] = [
    ["all", "Open", data.open.length],
    ["decide", "Needs a decision", data.open.filter(isToDecide).length],
    ["late", "Overdue", data.open.filter(isLate).length],
    ["known", "Known errors", data.open.filter((one) => one.is_known).length],
  ];
  return (
    <div className="mx-auto max-w-[1480px] px-5 pb-12 pt-3 max-[600px]:px-3">
      <div className="flex flex-wrap items-center gap-2">
        <h1 className="text-[22px] font-bold">Problems</h1>
        <span className="ml-auto flex flex-wrap gap-2" role="group" aria-label="Which">
          {figures.map(([key, label, count]) => (
            <button
              key={key}
              type="button"
              aria-pressed={only === key}
              className={`min-h-[30px] rounded-full border px-3 ${only === key ? "border-ink bg-ink text-sheet" : key === "late" && count > 0 ? "border-rust/40 bg-rust-2" : "border-line bg-sheet hover:border-line-2"}`}
              onClick={() => setOnly(only === key ? "all" : key)}
            >
              {label} <b>{count}</b>
            </button>
          ))}
        </span>
        <input
          aria-label="Words in a problem or a workaround"
          placeholder="Words in a problem or a workaround"
          className={`${inputClass} !w-[260px]`}
          value={words}
          onChange={(event) => setWords(event.target.value)}
        />
        {me?.is_on_desk ? (
          <Button tone="sea" onClick={() => setNew(true)}>
            New problem…
          </Button>
        ) : null}
      </div>
      <div className="mt-3 grid grid-cols-[minmax(0,1fr)_340px] items-start gap-4 max-[1000px]:grid-cols-1">
        <div className="flex min-w-0 flex-col gap-4">
          <PatternsList isForProblems open={data.open} />
          <OpenProblems rows={shown} now={now} isFiltered={only !== "all" || folded !== ""} />
          <p className="text-[13px] text-ink-2">
            {data.ended} ended.{" "}
            <Link
              className="underline"
              to={`/desk/queue?filter=${encodeURIComponent(JSON.stringify({ field: "kind", op: "is", value: "problem" }))}`}
            >
              All problems in the Queue
            </Link>
          </p>
        </div>
        <KnownErrors rows={known} isFiltered={folded !== ""} />
      </div>
      {isNew ? <NewProblem onClose={() => setNew(false)} /> : null}
    </div>
  );
}

function OpenProblems({ rows, now, isFiltered }: { rows: Line[]; now: number; isFiltered: boolean }) {
  const most = Math.max(1, ...rows.map((one) => one.lost_hours));
  return (
    <section aria-label="Open problems" className="rounded-card border border-line bg-sheet">
      <h2 className="border-b border-line px-3.5 py-2 font-bold">
        Open problems <span className="text-[13px] font-normal text-ink-2">what runs out soonest first</span>
      </h2>
      {rows.length === 0 ? (
        <Empty title={isFiltered ? "None of them" : "No problem is open"}>
          {isFiltered ? "No open problem fits." : "Open one from a pattern, from incidents, or by itself."}
        </Empty>
      ) : (
        <ul>
          {rows.map((one) => (
            <li
              key={one.id}
              className="grid grid-cols-[minmax(220px,2.4fr)_140px_minmax(110px,1fr)_minmax(120px,1fr)_minmax(110px,1fr)] items-center gap-x-4 gap-y-1 border-b border-line px-3.5 py-2 last:border-0 max-[1100px]:grid-cols-[minmax(0,1fr)_140px_120px] max-[600px]:grid-cols-1"
            >
              <div className="min-w-0">
                <Link to={`/desk/tickets/${one.id}`} className="font-semibold hover:underline">
                  {one.title}
                </Link>
                <p className="text-[13px] text-ink-2">
                  <PriorityMark priority={one.priority} /> <span className="font-mono">{one.id}</span> {one.state}
                  {one.holder ? ` · ${one.holder}` : ` · ${one.team}, unassigned`}
                </p>
              </div>
              <span className="flex items-end gap-2">
                <Spark weeks={one.weeks} />
                <span title={`${one.incidents} incidents linked`}>{one.incidents}</span>
              </span>
              <span className="text-[13px]">
                <b className="text-[14px]">{one.lost_hours.toLocaleString("en-GB")} h</b> lost
                <span className="mt-0.5 block h-[5px] max-w-[100px] rounded bg-line" aria-hidden="true">
                  <span className="block h-full rounded bg-sea-2" style={{ width: `${(one.lost_hours / most) * 100}%` }} />
                </span>
                <span className="text-ink-2">{about(one.going_on_pence)} a month</span>
              </span>
              <span className="text-[13px]">
                {one.fix_pence === null ? (
                  <span className="text-ink-2">no fix costed</span>
                ) : (
                  <>
                    <b className="text-[14px]">{one.never_pays ? "never" : months(one.pays_back_months ?? 0)}</b>
                    <span className="block text-ink-2">{money(one.fix_pence)} once</span>
                  </>
                )}
              </span>
              <Due line={one} now={now} />
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

const CLOCKS: Record<string, string> = { cause: "cause", decision: "decision" };

function Due({ line, now }: { line: Line; now: number }) {
  if (line.until_s !== null) return <span className="text-[13px] text-ink-2">comes back {when(line.until_s, now)}</span>;
  if (line.is_fix_decided) return <span className="text-[13px]">to be fixed</span>;
  if (line.due_s === null) return <span className="text-[13px] text-ink-2">no target</span>;
  const what = CLOCKS[line.due_kind] ?? line.due_kind;
  if (line.late_from_s !== null && line.late_from_s <= now)
    return (
      <span className="text-[13px] font-semibold text-rust">
        {what} overdue {span(now - line.late_from_s)}
      </span>
    );
  return (
    <span className="text-[13px]">
      {what} by <b>{when(line.due_s, now)}</b>
    </span>
  );
}

function Spark({ weeks }: { weeks: number[] }) {
  const most = Math.max(1, ...weeks);
  return (
    <span className="flex h-[26px] items-end gap-[2px]" aria-hidden="true">
      {weeks.map((count, index) => (
        <span
          key={index}
          title={`${count} in that week`}
          className={`w-[6px] ${index >= weeks.length - 2 ? "bg-sea" : "bg-sea-2"}`}
          style={{ height: count === 0 ? 1 : 2 + (count / most) * 24 }}
        />
      ))}
    </span>
  );
}

function KnownErrors({ rows, isFiltered }: { rows: Known[]; isFiltered: boolean }) {
  return (
    <section aria-label="Known errors" className="rounded-card border border-line bg-sheet">
      <h2 className="border-b border-line px-3.5 py-2 font-bold">
        Known errors <span className="text-[13px] font-normal text-ink-2">what their workaround answered</span>
      </h2>
      {rows.length === 0 ? (
        <p className="px-3.5 py-4 text-ink-2">{isFiltered ? "None of them says that." : "No problem has a workaround yet."}</p>
      ) : null}
      <ul>
        {rows.map((one) => {
          const all = Math.max(one.used, one.incidents, 1);
          return (
            <li key={one.id} className="border-b border-line px-3.5 py-2 last:border-0">
              <Link to={`/desk/tickets/${one.id}`} className="font-semibold hover:underline">
                {one.title}
              </Link>
              <p className="line-clamp-2 text-[13.5px]">{one.workaround}</p>
              <p className="flex items-center gap-2 text-[13px] text-ink-2">
                <span className="h-[6px] flex-1 rounded bg-line" aria-hidden="true">
                  <span className="block h-full rounded bg-sea" style={{ width: `${(one.used / all) * 100}%` }} />
                </span>
                used <b className="text-ink">{one.used}</b> times
                {one.open_count > 0 ? (
                  <Link className="underline" to={`/desk/tickets/${one.id}`}>
                    tell {one.open_count} open
                  </Link>
                ) : null}
                {one.is_open ? null : <span>ended</span>}
              </p>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
