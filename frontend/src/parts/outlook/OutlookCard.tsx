import { Popover } from "radix-ui";
import { Link } from "react-router";
import type { TeamOutlook } from "../chances";
import { clockTime, exact, span, when } from "../time";
import { Sticks } from "./Sticks";

interface OutlookCardProps {
  outlook: TeamOutlook;
  now: number;
  /** Named where several teams stand below one another. */
  isNamed?: boolean;
  /** The drawing below the words, where there is little room. */
  isSmall?: boolean;
  /** Where nothing is pressed. */
  isStill?: boolean;
}

/** What a team will probably miss in its next eight hours, when, and what would help most. */
export function OutlookCard({ outlook, now, isNamed = false, isSmall = false, isStill = false }: OutlookCardProps) {
  const { until_s: until, expected, low, high } = outlook;
  if (!outlook.is_anybody || until === null || expected === null)
    return (
      <p className="text-ink-2">
        {isNamed ? <b className="text-ink">{outlook.name}: </b> : null}
        Nobody of the team works within the next fortnight, so there is no outlook.
      </p>
    );
  const due = outlook.due.filter((one) => one.due_s > now);
  const likely = due
    .filter((one) => one.chance >= 0.3)
    .sort((one, other) => other.chance - one.chance)
    .slice(0, 5);
  const falls = due.length + outlook.hidden;
  return (
    <div
      className={`grid items-start gap-x-4 gap-y-1 ${isSmall ? "" : "grid-cols-[minmax(230px,300px)_minmax(0,1fr)] max-[760px]:grid-cols-1"}`}
    >
      <div>
        {isNamed ? <h3 className="font-bold">{outlook.name}</h3> : null}
        <p className="flex items-baseline gap-2">
          <b className="text-[27px] leading-8 tabular-nums">{oneDigit(expected)}</b>
          <span className="font-semibold">likely to be missed by {soon(until, now)}</span>
        </p>
        <p className="text-[13px] text-ink-2">
          8 times in 10, {low === high ? `${low ?? 0}` : `${low ?? 0} to ${high ?? 0}`} ·{" "}
          {falls === 0 ? "nothing open falls due" : `${falls} open fall${falls === 1 ? "s" : ""} due`}
          {isStill ? null : (
            <>
              {" "}
              · <Why outlook={outlook} now={now} />
            </>
          )}
        </p>
        {isStill || likely.length === 0 ? null : (
          <p className="text-[13px]">
            most likely{" "}
            {likely.map((one, at) => (
              <span key={one.number}>
                {at > 0 ? ", " : ""}
                <Link className="underline" title={`${one.title}: due ${exact(one.due_s)}`} to={`/desk/tickets/${one.number}`}>
                  {one.number}
                </Link>
              </span>
            ))}
          </p>
        )}
        {(isStill ? [] : outlook.helps).map((help) => (
          <p key={help.kind} className="text-[13px]">
            <b>{oneDigit(help.fewer)} fewer</b>{" "}
            {help.kind === "one more person" ? (
              "with one more person for two hours"
            ) : (
              <>
                when begun with{" "}
                {help.numbers.map((number, at) => (
                  <span key={number}>
                    {at > 0 ? ", " : ""}
                    <Link className="underline" to={`/desk/tickets/${number}`}>
                      {number}
                    </Link>
                  </span>
                ))}
              </>
            )}
          </p>
        ))}
      </div>
      {due.length > 0 ? <Sticks due={due} from={now} until={until} /> : null}
    </div>
  );
}

function oneDigit(value: number): string {
  return value.toFixed(1);
}

function soon(at: number, now: number): string {
  return at - now < 20 * 3600 ? clockTime(at) : when(at, now);
}

/** What was played, in numbers that the reader can check. */
function Why({ outlook, now }: { outlook: TeamOutlook; now: number }) {
  const { why } = outlook;
  if (!why) return null;
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <button type="button" className="why text-left text-ink-2 hover:text-ink" aria-label={`why: the outlook of ${outlook.name}`}>
          why
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          collisionPadding={12}
          className="z-40 w-[min(430px,92vw)] rounded-card border border-line-2 bg-sheet px-4 py-3 text-ink"
        >
          <p>
            The team’s next eight hours were played {why.runs.toLocaleString("en-GB")} times; whoever is free takes what runs out soonest.
          </p>
          <dl className="mt-2 grid grid-cols-[1fr_auto] gap-x-4 gap-y-0.5">
            <dt>open, to be worked on</dt>
            <dd className="text-right tabular-nums">{why.open}</dd>
            <dt>of those with no target left to miss</dt>
            <dd className="text-right tabular-nums">{why.without_target}</dd>
            <dt>likely to come, by the hours of the last eight weeks</dt>
            <dd className="text-right tabular-nums">{oneDigit(why.coming)}</dd>
            <dt>people who work now, and at some time until then</dt>
            <dd className="text-right tabular-nums">
              {why.people_now}, {why.people}
            </dd>
            <dt>{why.assumed_s === null ? `time on one, the middle of ${why.times} logged` : "time on one, assumed: none was logged"}</dt>
            <dd className="text-right tabular-nums">{span(why.assumed_s ?? why.median_s ?? 0)}</dd>
            {why.played === null ? null : (
              <>
                <dt>missed of what is open, as played</dt>
                <dd className="text-right tabular-nums">{oneDigit(why.played)}</dd>
              </>
            )}
            <dt>missed of what is open{why.played === null ? "" : ", as often as it came true"}</dt>
            <dd className="text-right tabular-nums">{oneDigit(outlook.of_open ?? 0)}</dd>
            <dt>missed of what comes</dt>
            <dd className="text-right tabular-nums">{oneDigit(outlook.of_coming ?? 0)}</dd>
            <dt className="font-bold">likely to be missed</dt>
            <dd className="text-right font-bold tabular-nums">{oneDigit(outlook.expected ?? 0)}</dd>
          </dl>
          <p className="mt-2 text-[13px] text-ink-2">
            How long each takes in all is drawn from what the last 90 days took at its priority, of those that had taken as long by now. A
            chance is then said as often as it came true before.{" "}
            <Link className="underline" to="/desk/reports/outlook">
              Whether it came true
            </Link>
            . What is overdue already is not counted again; somebody in two teams counts in both. Computed {when(outlook.computed_s, now)} (
            {exact(outlook.computed_s)}).
          </p>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
