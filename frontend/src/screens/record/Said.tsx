import type { Ticket } from "../../api/client";
import { Panel } from "./Panel";

/** How it was, as the requester says after closing. */
export function Said({ ticket }: { ticket: Ticket }) {
  const { survey } = ticket;
  if (!survey) return null;
  return (
    <Panel title="How it was" note={survey.answered_s ? undefined : "asked, not answered yet"}>
      {survey.score ? (
        <p>
          <b>{survey.score} of 5</b> {survey.text ? `– “${survey.text}”` : ""}
        </p>
      ) : null}
      {survey.answers
        .filter((line) => line.answer)
        .map((line) => (
          <p key={line.label} className="text-ink-2">
            {line.label} <b className="text-ink">{line.answer}</b>
          </p>
        ))}
    </Panel>
  );
}
