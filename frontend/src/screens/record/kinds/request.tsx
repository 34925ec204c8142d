import { money } from "../../../parts/money";
import type { Ticket } from "../../../api/client";
import { useNow } from "../../../parts/hooks";
import { costWords } from "../../../parts/ApprovalFacts";
import { RequestParts, RequestPath } from "../../../parts/RequestPath";
import { Panel } from "../Panel";
import type { KindPage } from ".";

/** What a request is for, what it costs and spent, its route and its parts. */
function Asked({ ticket }: { ticket: Ticket }) {
  const now = useNow();
  const { request } = ticket;
  if (!request) return null;
  return (
    <Panel
      title="Requested"
      note={request.approval === "pending" ? "waits for approval" : request.approval === "refused" ? "rejected" : undefined}
    >
      <div className="flex flex-col gap-2">
        <dl className="grid grid-cols-[110px_1fr] gap-x-2 gap-y-0.5">
          <dt className="text-ink-2">What</dt>
          <dd>{request.item_name}</dd>
          <dt className="text-ink-2">For</dt>
          <dd>{request.beneficiary}</dd>
          <dt className="text-ink-2">Cost</dt>
          <dd>
            {costWords(request)}
            {request.planned_pence > 0 ? ` · tasks ${money(request.planned_pence)} planned` : ""}
            {request.spent_pence > 0 ? `, ${money(request.spent_pence)} spent` : ""}
          </dd>
          {request.budget_line ? (
            <>
              <dt className="text-ink-2">Cost centre</dt>
              <dd>{request.budget_line}</dd>
            </>
          ) : null}
          {request.delivery ? (
            <>
              <dt className="text-ink-2">Delivery SLA</dt>
              <dd>{request.delivery}</dd>
            </>
          ) : null}
          {request.answers.map((answer) => (
            <div key={answer.field} className="contents">
              <dt className="text-ink-2">{answer.label}</dt>
              <dd className="min-w-0 break-words">{answer.value}</dd>
            </div>
          ))}
        </dl>
        {request.stages.length > 0 || request.parts.length === 0 ? <RequestPath request={request} now={now} /> : null}
        <RequestParts request={request} toDesk />
      </div>
    </Panel>
  );
}

/** A request shows what was asked for before anything else. */
export const request: KindPage = { first: (ticket) => <Asked ticket={ticket} /> };
