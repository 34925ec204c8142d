import { useQuery } from "@tanstack/react-query";
import { api, ok, type Ticket } from "../../api/client";
import { useNow } from "../../parts/hooks";
import { can } from "../../parts/recordActs";
import { when } from "../../parts/time";
import { Button } from "../../parts/ui";
import { useTicketWrite } from "../../parts/useTicketWrite";
import { Panel } from "./Panel";

const ANSWERS: Record<string, string> = {
  "": "has not answered yet",
  answered: "answered",
  none: "did not answer",
  over: "was not needed",
};

/** Who was paged about a record, and who answered. */
export function Paged({ ticket }: { ticket: Ticket }) {
  const now = useNow();
  const { write, isBusy } = useTicketWrite(ticket.id);
  const { data } = useQuery({
    queryKey: ["ticket", ticket.id, "pages"],
    queryFn: () => ok(api.GET("/api/tickets/{number}/pages", { params: { path: { number: ticket.id } } })),
  });
  if (!data || data.length === 0) return null;
  const answer = () =>
    void write(
      ok(api.POST("/api/tickets/{number}/answer-page", { params: { path: { number: ticket.id } }, body: {} })),
      "It is yours to see to.",
    );
  return (
    <Panel title="Paged">
      {can(ticket, "answer-page") ? (
        <Button tone="sea" className="mb-1" disabled={isBusy} onClick={answer}>
          Answer the page
        </Button>
      ) : null}
      <ul>
        {data.map((call) => (
          <li key={call.id} className="border-b border-line py-1 last:border-b-0">
            <b>{call.team}</b>{" "}
            <span className={call.ended_s === null || call.answered_by ? "" : "text-rust"}>
              {call.answered_by ? `answered by ${call.answered_by}` : call.ended_s === null ? "" : "nobody answered"}
            </span>
            <span className="block text-[13px] text-ink-2">
              {call.why}
              {call.asked_by ? ` – ${call.asked_by}` : ""}
            </span>
            <ol className="text-[13px]">
              {call.pages.map((page) => (
                <li key={page.person} className="tabular-nums">
                  {when(page.at_s, now)} {page.person} {ANSWERS[page.answer] ?? page.answer}
                </li>
              ))}
            </ol>
          </li>
        ))}
      </ul>
    </Panel>
  );
}
