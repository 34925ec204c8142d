import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ok } from "../../api/client";
import { useBook, type Job, NEEDLE, type Review } from "./data";
import { expectedWords, NAMES } from "./outcome";
import { roomLink } from "./rooms";

/** Always at hand: what the checks say, how the rehearsals come out, what a replay showed. */
export function Aside({ review, isDraft }: { review: Review | undefined; isDraft: boolean }) {
  return (
    <aside className="border-l border-line bg-paper px-4 py-3.5 max-[1100px]:hidden" aria-label="Before it goes live">
      <Head title="Check" note={review ? (review.findings.length === 0 ? "nothing to fix" : `${review.findings.length} to fix`) : ""} />
      {!isDraft ? <p className="text-ink-2">Checks run on the draft, once there is one.</p> : null}
      <ul>
        {review?.findings.slice(0, 4).map((one, index) => (
          <li key={index} className="border-b border-line py-1.5">
            <span aria-hidden="true" className="text-rust">
              ✕{" "}
            </span>
            <Link to={roomLink(one.section, one.key)} className="hover:underline">
              <b>{one.name}.</b> {one.says}
            </Link>
          </li>
        ))}
      </ul>
      {review && review.findings.length > 4 ? (
        <Link className="why" to="/desk/rulebook/checks">
          all {review.findings.length}
        </Link>
      ) : null}
      <Rehearsals review={review} />
      <Replays />
    </aside>
  );
}

function Head({ title, note }: { title: string; note: string }) {
  return (
    <p className="mt-4 flex items-baseline justify-between gap-2 first:mt-0">
      <b>{title}</b>
      <span className="text-ink-2">{note}</span>
    </p>
  );
}

function Rehearsals({ review }: { review: Review | undefined }) {
  const { which } = useBook();
  const { data } = useQuery({
    queryKey: [...NEEDLE, "rehearsals", which, review?.version],
    queryFn: () => ok(api.GET("/api/rulebook/rehearsals", { params: { query: { of: which } } })),
  });
  const holding = data?.filter((one) => one.holds).length ?? 0;
  return (
    <>
      <Head title="Rehearsals" note={data && data.length > 0 ? `${holding} of ${data.length} as expected` : ""} />
      {data?.length === 0 ? (
        <p className="text-ink-2">
          None yet.{" "}
          <Link className="why" to="/desk/rulebook/try">
            Try something
          </Link>{" "}
          and save it.
        </p>
      ) : null}
      <ul>
        {[...(data ?? [])]
          .sort((one, other) => Number(one.holds) - Number(other.holds))
          .slice(0, 8)
          .map((one) => (
            <li key={one.id} className="border-b border-line py-1.5">
              <span aria-hidden="true" className={one.holds ? "text-sea" : "text-rust"}>
                {one.holds ? "✓ " : "✕ "}
              </span>
              <Link to="/desk/rulebook/rehearsals" className="hover:underline">
                {one.holds ? one.name : <b>{one.name}</b>}
              </Link>
              {one.holds ? null : (
                <span className="block text-ink-2">
                  {one.problem ||
                    Object.entries(one.differs)
                      .map(([name, pair]) => `${NAMES[name] ?? name}: expected ${expectedWords(pair, 0)}, now ${expectedWords(pair, 1)}`)
                      .join(" · ")}
                </span>
              )}
            </li>
          ))}
      </ul>
    </>
  );
}

export interface ReplayResult {
  tickets: number;
  skipped: number;
  priority: number;
  agreement: number;
  team: number;
  earlier: number;
  later: number;
  differ: number;
  base: number;
  draft_version: number;
  kept: Record<"team" | "priority", Record<string, Record<string, [number, number, number, number]>>>;
  differing: { number: number; title: string; before: Verdict; after: Verdict }[];
}
export interface Verdict {
  priority: string;
  agreement: string;
  team: string;
  targets: Record<string, [number, string]>;
  states: Record<string, string>;
  due: Record<string, number | null>;
}

export function useLatestReplay(): Job | undefined {
  const jobs = useQuery({ queryKey: [...NEEDLE, "jobs"], queryFn: () => ok(api.GET("/api/rulebook/jobs")), refetchInterval: 5_000 });
  const latest = jobs.data?.find((job) => job.kind === "replay");
  const isBusy = latest?.state === "running" || latest?.state === "waiting";
  const { data } = useQuery({
    queryKey: [...NEEDLE, "job", latest?.id, latest?.state],
    queryFn: () => ok(api.GET("/api/rulebook/jobs/{number}", { params: { path: { number: latest?.id ?? 0 } } })),
    enabled: latest !== undefined,
    refetchInterval: isBusy ? 700 : false,
  });
  return data ?? latest;
}

function Replays() {
  const job = useLatestReplay();
  const result = job?.result as ReplayResult | null | undefined;
  if (!job)
    return (
      <>
        <Head title="Replay" note="" />
        <p className="text-ink-2">
          <Link className="why" to="/desk/rulebook/replay">
            Run the draft over past tickets
          </Link>{" "}
          to see what it would have changed.
        </p>
      </>
    );
  return (
    <>
      <Head title="Replay" note={result ? `${result.tickets.toLocaleString("en-GB")} tickets` : job.state} />
      {job.state === "running" ? <progress className="w-full" max={job.total || 1} value={job.done} aria-label="Replay" /> : null}
      {result ? (
        <>
          <p className="text-ink-2">
            {result.earlier} would be due earlier, {result.later} later, {result.team} would go elsewhere.
          </p>
          <KeptBars rows={result.kept.team} clock="fix" most={5} />
          <Link className="why" to="/desk/rulebook/replay">
            the {result.differ} that differ
          </Link>
        </>
      ) : null}
    </>
  );
}

function percent(kept: number, counted: number): string {
  return counted === 0 ? "–" : `${Math.round((100 * kept) / counted)}`;
}

/** Fix targets kept, edition above and draft below. */
export function KeptBars({
  rows,
  clock,
  most = 50,
  byName = false,
}: {
  rows: ReplayResult["kept"]["team"];
  clock: string;
  most?: number;
  byName?: boolean;
}) {
  return (
    <ul className="my-2">
      {Object.entries(rows)
        .map(([name, clocks]) => [name, clocks[clock] ?? [0, 0, 0, 0]] as const)
        .sort(([name, one], [otherName, other]) => (byName ? name.localeCompare(otherName) : other[1] - one[1]))
        .slice(0, most)
        .map(([name, [keptBefore, before, keptAfter, after]]) => (
          <li key={name} className="grid grid-cols-[minmax(0,1fr)_64px_auto] items-center gap-2 py-0.5">
            <span className="truncate" title={name}>
              {name}
            </span>
            <span aria-hidden="true">
              <span className="block h-2 rounded-sm bg-sea-2" style={{ width: `${before ? (64 * keptBefore) / before : 0}px` }} />
              <span className="mt-0.5 block h-2 rounded-sm bg-sea" style={{ width: `${after ? (64 * keptAfter) / after : 0}px` }} />
            </span>
            <span className="whitespace-nowrap text-right font-mono text-[13px]">
              {percent(keptBefore, before)} → {percent(keptAfter, after)} %
            </span>
          </li>
        ))}
    </ul>
  );
}
