import { costWords } from "./ApprovalFacts";
import { approvalWord } from "./approvalWords";
import { Link } from "react-router";
import type { RequestFacts } from "../api/client";
import { when } from "./time";

const MARKS: Record<string, string> = { approved: "✓", refused: "✕", skipped: "–", pending: "…", "to come": "○", dropped: "–" };

/** The approval route as a path: skipped and why, decided by whom, waiting on whom since when. */
export function RequestPath({ request, now }: { request: RequestFacts; now: number }) {
  if (request.stages.length === 0)
    return (
      <p className="text-ink-2">
        {request.covered_by ? `Approved with the bundle, request ${request.covered_by}.` : "No approval needed."}
      </p>
    );
  return (
    <ol aria-label="Approval route" className="flex flex-col gap-1.5">
      {request.stages.map((stage) => (
        <li key={stage.name} className="grid grid-cols-[20px_1fr] gap-x-1.5">
          <span
            aria-hidden="true"
            className={stage.state === "pending" ? "font-bold text-crown" : stage.state === "refused" ? "font-bold text-rust" : "text-sea"}
          >
            {MARKS[stage.state] ?? "·"}
          </span>
          <div className="min-w-0">
            <p>
              <b>{stage.name}</b> <span className="text-ink-2">{words(stage, now)}</span>
            </p>
            {stage.people
              .filter((one) => !one.is_old && one.state !== "not needed")
              .map((one, index) => (
                <p key={`${one.name}-${index}`} className="text-[13px] text-ink-2">
                  {one.name}: {approvalWord(one.state)}
                  {one.decided_by ? ` by ${one.decided_by}` : ""}
                  {one.through ? ` ${one.through}` : ""}
                  {one.decided_s ? `, ${when(one.decided_s, now)}` : ""}
                  {one.deputies.length > 0 ? `, or ${one.deputies.join(", ")}` : ""}
                  {one.reason ? `: “${one.reason}”` : ""}
                  {one.question ? ` – asked: “${one.question}”` : ""}
                  {one.answered.map((said) => ` – asked: “${said.question}”, answered: “${said.answer}”`).join("")}
                  {one.because ? ` (${one.because})` : ""}
                </p>
              ))}
            {stage.notes.map((note) => (
              <p key={note} className="text-[13px] text-ink-2">
                {note}
              </p>
            ))}
          </div>
        </li>
      ))}
    </ol>
  );
}

function words(stage: RequestFacts["stages"][number], now: number): string {
  if (stage.state === "pending")
    return `waits since ${stage.since_s ? when(stage.since_s, now) : "now"}${stage.needs ? `, needs ${stage.needs}` : ""}${stage.decide_by_s ? `, to be approved by ${when(stage.decide_by_s, now)}` : ""}`;
  if (stage.state === "skipped") return `skipped, ${stage.because}`;
  if (stage.ended_s) return `${approvalWord(stage.state)}, ${when(stage.ended_s, now)}`;
  return approvalWord(stage.state);
}

/** The parts of a bundle or an order, each with where it is. */
export function RequestParts({ request, toDesk }: { request: RequestFacts; toDesk: boolean }) {
  if (request.parts.length === 0 && request.parts_to_come.length > 0)
    return (
      <section aria-label="Parts">
        <p className="mb-1 font-semibold text-ink-2">Parts, opened once it is approved</p>
        <ul>
          {request.parts_to_come.map((part) => (
            <li key={part.item} className="flex flex-wrap items-baseline gap-x-2 py-0.5">
              <span aria-hidden="true">○</span> {part.name} <span className="text-[13px] text-ink-2">{costWords(part)}</span>
              {part.answers.map((one) => (
                <span key={one.field} className="text-[13px] text-ink-2">
                  {one.label}: {one.value}
                </span>
              ))}
            </li>
          ))}
        </ul>
      </section>
    );
  if (request.parts.length === 0) return null;
  const there = request.parts.filter((part) => !part.is_open && part.state !== "cancelled").length;
  return (
    <section aria-label="Parts">
      <p className="mb-1 font-semibold text-ink-2">
        Parts: {there} of {request.parts.length} delivered
      </p>
      <ul>
        {request.parts.map((part) => (
          <li key={part.id} className="flex flex-wrap items-baseline gap-x-2 py-0.5">
            <span aria-hidden="true">{part.is_open ? "○" : part.state === "cancelled" ? "✕" : "✓"}</span>
            <Link to={toDesk ? `/desk/tickets/${part.id}` : `/my/${part.id}`} className="underline">
              {part.title}
            </Link>
            <span className="text-[13px] text-ink-2">
              {part.is_open
                ? `${part.state}, with ${part.holder || part.team}`
                : part.state === "cancelled"
                  ? part.approval === "refused"
                    ? "not approved"
                    : "cancelled"
                  : "there"}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
