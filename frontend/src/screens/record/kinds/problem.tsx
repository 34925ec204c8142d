import type { Ticket } from "../../../api/client";
import { useNow } from "../../../parts/hooks";
import { when } from "../../../parts/time";
import { Link } from "react-router";
import { Causes } from "../../problems/Causes";
import { CurvePanel } from "../../problems/Curve";
import { CameBack, Linked } from "../../problems/Linked";
import { WorkaroundPanel } from "../../problems/Workaround";
import { WorthPanel } from "../../problems/Worth";
import { Panel } from "../Panel";
import type { KindPage } from ".";

function Top({ ticket }: { ticket: Ticket }) {
  const now = useNow();
  if (!ticket.problem) return null;
  return (
    <>
      <CameBack ticket={ticket} />
      <CurvePanel curve={ticket.problem.curve} now={now} />
    </>
  );
}

function Main({ ticket }: { ticket: Ticket }) {
  const now = useNow();
  return (
    <div className="mb-3">
      <Causes ticket={ticket} now={now} />
    </div>
  );
}

function First({ ticket }: { ticket: Ticket }) {
  const now = useNow();
  const reached = ticket.problem?.reached ?? [];
  const changes = ticket.problem?.changes ?? [];
  return (
    <>
      <WorkaroundPanel ticket={ticket} now={now} />
      <WorthPanel ticket={ticket} now={now} />
      <Linked ticket={ticket} now={now} />
      {changes.length > 0 ? (
        <Panel title="Changes to end it">
          <ul>
            {changes.map((one) => (
              <li key={one.id} className="flex gap-2 py-0.5">
                <Link to={`/desk/tickets/${one.id}`} className="min-w-0 flex-1 truncate hover:underline">
                  <span className="font-mono text-[13px]">{one.id}</span> {one.title}
                </Link>
                <span className="text-[13px] text-ink-2">
                  {one.outcome || one.state}
                  {one.starts_s && !one.outcome ? `, ${when(one.starts_s, now)}` : ""}
                </span>
              </li>
            ))}
          </ul>
          {ticket.is_open && changes.some((one) => one.outcome === "done") ? (
            <p className="mt-1">It is done and went well: is the problem over?</p>
          ) : null}
        </Panel>
      ) : null}
      {reached.length > 0 ? (
        <Panel title="Who loses what" note="while it is down">
          <ul>
            {reached.map((one) => (
              <li key={one.id} className="flex gap-2 py-0.5">
                <Link to={`/desk/services/${one.id.replace("service-", "")}`} className="min-w-0 flex-1 hover:underline">
                  {one.name}
                </Link>
                <span className="text-ink-2">{Math.round(one.share * 100)} %</span>
              </li>
            ))}
          </ul>
        </Panel>
      ) : null}
    </>
  );
}

/** A problem shows its curve across the page, its causes before what was said, its worth beside. */
export const problem: KindPage = {
  top: (ticket) => <Top ticket={ticket} />,
  main: (ticket) => <Main ticket={ticket} />,
  isFirst: true,
  first: (ticket) => <First ticket={ticket} />,
  hidesLinks: (says) => says === "caused",
};
