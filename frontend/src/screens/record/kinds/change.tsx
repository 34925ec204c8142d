import { Link } from "react-router";
import type { Ticket } from "../../../api/client";
import { useNow } from "../../../parts/hooks";
import { when } from "../../../parts/time";
import { EndsPanel, LearnedPanel } from "../../changes/Learned";
import { PlanPanel } from "../../changes/Plan";
import { ReleasePanel } from "../../changes/Release";
import { RiskPanel } from "../../changes/Risk";
import { TimingPanel } from "../../changes/Timing";
import { TrackPanel } from "../../changes/Track";
import { Way } from "../../changes/Way";
import { WhatPanel } from "../../changes/What";
import { Panel } from "../Panel";
import type { KindPage } from ".";

const PLACE: Record<string, string> = { plan: "plan", test: "plan", backout: "plan", carries: "carries" };

/** What a draft lacks before it can be submitted, each a way to its place. */
function Lacks({ ticket }: { ticket: Ticket }) {
  const change = ticket.change;
  if (!change || ticket.state !== "draft" || change.assessment.lacks.length === 0) return null;
  return (
    <section aria-label="What is missing" className="mt-3 rounded-card border border-crown bg-crown-2 px-3.5 py-2">
      <b>Before it can be submitted:</b>{" "}
      {change.assessment.lacks.map((one, index) => (
        <span key={one.place + one.says}>
          {index > 0 ? " · " : ""}
          <a className="underline" href={`#${PLACE[one.place] ?? "what"}`}>
            {one.says}
          </a>
        </span>
      ))}
    </section>
  );
}

/** A major incident runs over what it touches: it had better wait. */
function Held({ ticket }: { ticket: Ticket }) {
  const held = ticket.change?.held_by ?? [];
  if (held.length === 0) return null;
  return (
    <section aria-label="Held" className="mt-3 rounded-card border border-rust bg-rust-2 px-3.5 py-2">
      <b>Hold this:</b> a major incident runs over what it touches.{" "}
      {held.map((one) =>
        one.id === null ? (
          <span key="unnamed">Its circle is closed; ask a major incident lead. </span>
        ) : (
          <Link key={one.id} to={`/desk/rooms/${one.id}`} className="mr-2 underline">
            {one.call_sign}: {one.title}
          </Link>
        ),
      )}
    </section>
  );
}

function Top({ ticket }: { ticket: Ticket }) {
  return (
    <>
      <Held ticket={ticket} />
      <Way ticket={ticket} />
      <Lacks ticket={ticket} />
    </>
  );
}

function Main({ ticket }: { ticket: Ticket }) {
  const now = useNow();
  return (
    <>
      {ticket.change?.stopped && ticket.state === "under way" ? (
        <p role="status" className="mb-3 rounded-card border border-rust bg-rust-2 px-3.5 py-2">
          <b>Stopped:</b> {ticket.change.stopped} Its steps back are tasks; say that it is backed out once they are done.
        </p>
      ) : null}
      <EndsPanel ticket={ticket} />
      <ReleasePanel ticket={ticket} now={now} />
      <WhatPanel ticket={ticket} />
      <PlanPanel ticket={ticket} now={now} />
    </>
  );
}

function First({ ticket }: { ticket: Ticket }) {
  const now = useNow();
  const change = ticket.change;
  if (!change) return null;
  const last = change.weighed[change.weighed.length - 1];
  return (
    <>
      <TimingPanel ticket={ticket} now={now} />
      <RiskPanel found={change.assessment} />
      {last && last.points !== change.assessment.points ? (
        <Panel title="As it was decided">
          <ul>
            {change.weighed.map((one) => (
              <li key={one.at_s + one.stage} className="flex gap-2 py-0.5">
                <span className="flex-1">
                  {one.stage} {when(one.at_s, now)}
                </span>
                <b>{one.points}</b> {one.rating}
              </li>
            ))}
          </ul>
        </Panel>
      ) : null}
      <LearnedPanel ticket={ticket} />
      <TrackPanel ticket={ticket} now={now} />
      {change.since.length > 0 ? (
        <Panel title="Incidents since" note="on what it reached">
          <ul>
            {change.since.map((one) => (
              <li key={one.id} className="flex gap-2 py-0.5">
                <Link to={`/desk/tickets/${one.id}`} className="min-w-0 flex-1 truncate hover:underline">
                  <span className="font-mono text-[13px]">{one.id}</span> {one.title}
                </Link>
                <span className="text-[13px] text-ink-2">{one.is_linked ? "caused by it" : when(one.opened_s, now)}</span>
              </li>
            ))}
          </ul>
        </Panel>
      ) : null}
    </>
  );
}

/** A change says first what it lacks, then what and how, with its time and its risk beside. */
export const change: KindPage = {
  top: (ticket) => <Top ticket={ticket} />,
  main: (ticket) => <Main ticket={ticket} />,
  isFirst: true,
  hidesHelp: true,
  first: (ticket) => <First ticket={ticket} />,
};
