import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useOutlook } from "../../parts/chances";
import { useNow } from "../../parts/hooks";
import { OutlookCard } from "../../parts/outlook/OutlookCard";
import { inTen } from "../../parts/text";
import { exact, when } from "../../parts/time";
import { Empty, ErrorNote, Loading } from "../../parts/ui";
import { useSession } from "../../shell/session";

type Step = components["schemas"]["ForecastStepShape"];
const FEW = 20;

/** Looking ahead: what each team will probably miss, and whether what was said came true. */
export function OutlookPage() {
  const now = useNow();
  const { data, error } = useOutlook();
  const { me } = useSession();
  if (error)
    return (
      <div className="p-6">
        <ErrorNote>{sentence(error)}</ErrorNote>
      </div>
    );
  if (!data || !me) return <Loading what="the outlook" />;
  const teams = [...data.teams].sort((one, other) => (other.expected ?? -1) - (one.expected ?? -1));
  return (
    <div className="px-[18px] pb-12 pt-3">
      <div className="flex flex-wrap items-baseline gap-3">
        <h1 className="text-[19px] font-bold">Looking ahead</h1>
        <Link to="/desk/reports" className="ml-auto underline">
          Reports
        </Link>
      </div>
      {data.is_pending ? (
        <p className="text-ink-2" role="status">
          Some teams are being computed…
        </p>
      ) : null}
      {teams.length === 0 && !data.is_pending ? <Empty title="No team to look ahead for">You are in no team.</Empty> : null}
      {teams.length > 1 ? (
        <p className="mt-1 flex items-baseline gap-2">
          <b className="text-[34px] leading-10 tabular-nums">{data.expected.toFixed(1)}</b>
          <span>
            <span className="font-semibold">likely to be missed by these teams in their next eight hours</span>{" "}
            <span className="text-ink-2">
              8 times in 10, {data.low} to {data.high}
            </span>
          </span>
        </p>
      ) : null}
      <div className="mt-2 flex flex-col gap-2">
        {teams.map((team) => (
          <section key={team.team} aria-label={team.name} className="rounded-card border border-line bg-sheet px-3 py-2">
            <OutlookCard outlook={team} now={now} isNamed />
          </section>
        ))}
      </div>
      <CameTrue now={now} />
    </div>
  );
}

/** What was said against what became of it: where both are the same, the bar ends at its mark. */
function CameTrue({ now }: { now: number }) {
  const [opened, setOpened] = useState<number | null>(null);
  const { data, error } = useQuery({
    queryKey: ["outlook", "came true"],
    queryFn: () => ok(api.GET("/api/outlook/came-true")),
    staleTime: 60_000,
  });
  const shown = data?.steps.find((step) => step.from_chance === opened);
  return (
    <section aria-label="Whether it came true" className="mt-5">
      <h2 className="text-[17px] font-bold">Whether it came true</h2>
      <p className="max-w-[76ch] text-ink-2">
        Twice a day it is written down what was said of each ticket that fell due, and afterwards whether it was missed. Where 7 in 10 was
        said, 7 in 10 should be missed: the bar then ends at the mark.
      </p>
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {data?.steps.length === 0 ? (
        <p className="mt-2 text-ink-2">Nothing has been written down yet. The worker does so by itself, for the last four months too.</p>
      ) : null}
      {data && data.steps.length > 0 ? (
        <table className="mt-2 w-full max-w-[860px] rounded-card border border-line bg-sheet">
          <thead className="text-left text-[13px] text-ink-2">
            <tr>
              <th className="px-3 py-1 font-normal">said</th>
              <th className="w-1/2 py-1 font-normal">were missed; the mark is what was said</th>
              <th className="px-3 py-1 text-right font-normal">missed</th>
              <th className="px-3 py-1 text-right font-normal">tickets</th>
            </tr>
          </thead>
          <tbody>
            {data.steps.map((step) => (
              <StepRow
                key={step.from_chance}
                step={step}
                isOpen={opened === step.from_chance}
                onOpen={() => setOpened(opened === step.from_chance ? null : step.from_chance)}
              />
            ))}
          </tbody>
        </table>
      ) : null}
      {shown ? (
        <section aria-label="The tickets" className="mt-2 max-w-[860px] rounded-card border border-line bg-sheet px-3 py-2">
          <h3 className="font-bold">
            Said to be {percent(shown.from_chance)} to {percent(shown.to_chance)}
            {shown.behind.length < shown.count ? (
              <span className="font-normal text-ink-2">
                , the last {shown.behind.length} of {shown.count}
              </span>
            ) : null}
          </h3>
          <ul>
            {shown.behind.map((one) => (
              <li key={`${one.number}/${one.at_s}`} className="flex gap-3 border-b border-line py-0.5 last:border-0">
                <Link className="shrink-0 tabular-nums underline" to={`/desk/tickets/${one.number}`}>
                  {one.number}
                </Link>
                <span className="min-w-0 flex-1 truncate">{one.title}</span>
                <span className="shrink-0 text-ink-2" title={exact(one.at_s)}>
                  {when(one.at_s, now)}
                </span>
                <span className="w-[70px] shrink-0 text-ink-2">{inTen(one.chance)}</span>
                <span className={`w-[70px] shrink-0 ${one.was_late ? "font-semibold text-rust" : ""}`}>
                  {one.was_late ? "missed" : "in time"}
                </span>
              </li>
            ))}
          </ul>
        </section>
      ) : null}
    </section>
  );
}

function percent(share: number): string {
  return `${Math.round(share * 100)} %`;
}

function StepRow({ step, isOpen, onOpen }: { step: Step; isOpen: boolean; onOpen: () => void }) {
  const came = step.late / step.count;
  return (
    <tr className={`border-t border-line ${isOpen ? "bg-sea-3" : ""}`}>
      <td className="whitespace-nowrap px-3 py-1">
        {percent(step.from_chance)} to {percent(step.to_chance)}
      </td>
      <td className="py-1">
        <div className="relative h-[14px] bg-paper" aria-hidden="true">
          <div className={`h-full ${step.count < FEW ? "hatched border border-line-2" : "bg-sea"}`} style={{ width: `${came * 100}%` }} />
          <span className="absolute -top-[3px] h-[20px] w-[3px] bg-ink" style={{ left: `calc(${step.said * 100}% - 1px)` }} />
        </div>
      </td>
      <td className="px-3 py-1 text-right tabular-nums" title={step.count < FEW ? "too few to say" : undefined}>
        {percent(came)}
      </td>
      <td className="px-3 py-1 text-right">
        <button type="button" className="min-h-[24px] min-w-[24px] tabular-nums underline" aria-expanded={isOpen} onClick={onOpen}>
          {step.count}
        </button>
      </td>
    </tr>
  );
}
