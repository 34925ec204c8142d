import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { useNow } from "../../parts/hooks";
import { when } from "../../parts/time";
import { Button, Empty, ErrorNote, Loading } from "../../parts/ui";
import { KeptBars, type ReplayResult, useLatestReplay, type Verdict } from "./Aside";
import { type Agreement, useBook, useReadAgain } from "./data";
import { spanWords } from "./edits";
import { entriesOf } from "./edits";
import { Part, smallInput } from "./parts";

const SPANS: [number, string][] = [
  [7, "last week"],
  [30, "last 30 days"],
  [90, "last 90 days"],
  [365, "last year"],
  [1000, "everything"],
];
const PAGE = 50;

/** Past tickets run again under the draft: what would have been different, ticket by ticket. */
export function ReplayPage() {
  const { which } = useBook();
  const [days, setDays] = useState(90);
  const readAgain = useReadAgain();
  const job = useLatestReplay();
  const settle = { onSuccess: readAgain, onError: (error: unknown) => toast.error(sentence(error)) };
  const start = useMutation({ mutationFn: () => ok(api.POST("/api/rulebook/jobs", { body: { kind: "replay", days } })), ...settle });
  const stop = useMutation({
    mutationFn: (number: number) => ok(api.DELETE("/api/rulebook/jobs/{number}", { params: { path: { number } } })),
    ...settle,
  });
  const now = useNow();
  const isBusy = job?.state === "running" || job?.state === "waiting";
  const result = job?.result as ReplayResult | null | undefined;
  return (
    <>
      <div className="flex flex-wrap items-center gap-2">
        <label>
          Run the draft over the tickets of the{" "}
          <select className={smallInput} value={days} onChange={(event) => setDays(+event.target.value)}>
            {SPANS.map(([count, words]) => (
              <option key={count} value={count}>
                {words}
              </option>
            ))}
          </select>
        </label>
        <Button tone="sea" disabled={which !== "draft" || isBusy || start.isPending} onClick={() => start.mutate()}>
          Start the replay
        </Button>
        {isBusy && job ? <Button onClick={() => stop.mutate(job.id)}>Stop</Button> : null}
      </div>
      {which !== "draft" ? <p className="mt-2 text-ink-2">There is no draft to replay. Change something first.</p> : null}
      {isBusy && job ? (
        <p className="mt-3">
          <progress className="w-72" max={job.total || 1} value={job.done} aria-label="Replay" />{" "}
          <span className="text-ink-2">
            {job.done.toLocaleString("en-GB")} of {job.total.toLocaleString("en-GB")} tickets. You can leave this page and come back.
          </span>
        </p>
      ) : null}
      {job?.state === "done" && !result ? <Loading what="what the replay found" /> : null}
      {job?.state === "failed" ? <ErrorNote>{job.problem}</ErrorNote> : null}
      {job?.state === "stopped" ? <p className="mt-2 text-ink-2">The last replay was stopped.</p> : null}
      {!job && which === "draft" ? (
        <Empty title="Not replayed yet">Each past ticket is decided again by the draft; what people did stays as they did it.</Empty>
      ) : null}
      {result && job ? (
        <>
          <p className="mt-3 text-[16px]">
            <b>{result.tickets.toLocaleString("en-GB")} tickets</b>, {when(job.made_at_s, now)} by {job.by}: <b>{result.differ}</b> come out
            otherwise. {result.priority} get another priority, {result.agreement} another SLA, {result.team} another team; {result.earlier}{" "}
            would be due earlier, {result.later} later.
            {result.skipped ? ` ${result.skipped} could not be replayed.` : ""}
          </p>
          <div className="grid grid-cols-2 gap-8 max-[1000px]:grid-cols-1">
            <Part title="Resolution targets met, by team" aside={<Legend base={result.base} />}>
              <KeptBars rows={result.kept.team} clock="fix" />
            </Part>
            <div>
              <Part title="Resolution targets met, by priority">
                <KeptBars rows={result.kept.priority} clock="fix" byName />
              </Part>
              <Part title="Response targets met, by priority">
                <KeptBars rows={result.kept.priority} clock="answer" byName />
              </Part>
            </div>
          </div>
          <Differing result={result} />
        </>
      ) : null}
    </>
  );
}

function Legend({ base }: { base: number }) {
  return (
    <span className="text-[13px] text-ink-2">
      <span aria-hidden="true" className="mr-1 inline-block h-2 w-4 bg-sea-2" />
      edition {base} <span aria-hidden="true" className="mr-1 ml-2 inline-block h-2 w-4 bg-sea" />
      draft
    </span>
  );
}

function Differing({ result }: { result: ReplayResult }) {
  const [shown, setShown] = useState(PAGE);
  const [onlyLate, setOnlyLate] = useState(false);
  const rows = result.differing.filter((row) => !onlyLate || (row.before.states.fix === "met" && row.after.states.fix !== "met"));
  return (
    <Part
      title={`Those that differ (${rows.length}${result.differ > result.differing.length ? ` of ${result.differ}` : ""})`}
      aside={
        <label className="flex items-center gap-1.5 text-ink-2">
          <input type="checkbox" checked={onlyLate} onChange={(event) => setOnlyLate(event.target.checked)} /> only those that would have
          been late
        </label>
      }
    >
      <table className="w-full">
        <thead>
          <tr className="border-b border-line text-left text-ink-2">
            <th scope="col" className="py-1 font-normal">
              ticket
            </th>
            <th scope="col" className="py-1 font-normal">
              edition {result.base}
            </th>
            <th scope="col" className="py-1 font-normal">
              draft
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, shown).map((row) => (
            <tr key={row.number} className="border-b border-line align-top">
              <td className="py-1.5 pr-3">
                <Link className="hover:underline" to={`/desk/tickets/${row.number}`}>
                  <span className="font-mono">{row.number}</span> {row.title}
                </Link>
              </td>
              <VerdictCell one={row.before} other={row.after} />
              <VerdictCell one={row.after} other={row.before} isNew />
            </tr>
          ))}
        </tbody>
      </table>
      {rows.length > shown ? (
        <Button className="mt-2" onClick={() => setShown(shown + PAGE)}>
          {Math.min(PAGE, rows.length - shown)} more
        </Button>
      ) : null}
    </Part>
  );
}

function VerdictCell({ one, other, isNew = false }: { one: Verdict; other: Verdict; isNew?: boolean }) {
  const { document } = useBook();
  const now = useNow();
  const name = entriesOf<Agreement>(document, "agreements").find((entry) => entry.key === one.agreement)?.name ?? one.agreement;
  const mark = (isOther: boolean, words: string) => (
    <span className={isOther && isNew ? "font-bold" : isOther ? "" : "text-ink-2"}>{words}</span>
  );
  const fix = one.targets.fix;
  return (
    <td className="py-1.5 pr-3">
      {mark(one.priority !== other.priority, one.priority)} · {mark(one.agreement !== other.agreement, name || "no agreement")} ·{" "}
      {mark(one.team !== other.team, one.team)}
      <br />
      {fix ? mark(fix[0] !== other.targets.fix?.[0], `resolution in ${spanWords(fix[0])}`) : null}
      {one.due.fix ? mark(one.due.fix !== other.due.fix, `, by ${when(one.due.fix, now)}`) : null}
      {one.states.fix ? (
        <span className={one.states.fix === "missed" || one.states.fix === "late" ? "text-rust" : "text-ink-2"}>, {one.states.fix}</span>
      ) : null}
    </td>
  );
}
