import { useState } from "react";
import { Link } from "react-router";
import { api, ok } from "../../api/client";
import { exact } from "../../parts/time";
import { Button, inputClass } from "../../parts/ui";
import type { Meeting } from "./CabPage";
import { clashWords, FACTOR, RATING_FILL } from "./words";

type Item = Meeting["agenda"][number];
type Verdict = "authorised" | "authorised on condition" | "rejected" | "put off";

interface CabItemProps {
  item: Item;
  meeting: Meeting;
  isBusy: boolean;
  run: (work: Promise<Meeting>, said: string) => Promise<boolean>;
}

const NEEDS: Record<string, string> = {
  "authorised on condition": "What has to be done before it begins",
  rejected: "Why not",
  "put off": "What the board wants to know first",
};

/** One change on the agenda, with what the board needs to decide on it, and its decision. */
export function CabItem({ item, meeting, isBusy, run }: CabItemProps) {
  const { change } = item;
  const [asked, setAsked] = useState<Verdict | null>(null);
  const [note, setNote] = useState("");
  const decide = async (verdict: Verdict) => {
    const body = { at_s: meeting.at_s, change: change.id, verdict, note };
    if (await run(ok(api.POST("/api/changes/cab/decide", { body })), `${change.id} is ${verdict}.`)) {
      setAsked(null);
      setNote("");
    }
  };
  const clashes = [...new Set(item.clashes.map((one) => `${clashWords(one)}${one.name ? ` (${one.name})` : ""}`))];
  const isClosed = meeting.sent_s !== null && item.verdict !== null;
  const canDecide = meeting.can_run && item.against === "" && (item.verdict === null || item.verdict.verdict === "put off") && !isClosed;
  const canPutOff = meeting.can_run && item.verdict === null;
  return (
    <article aria-label={change.title} className="mb-2.5 rounded-card border border-line bg-sheet px-3.5 py-2.5">
      <h3 className="flex flex-wrap items-baseline gap-x-2">
        <Link to={`/desk/tickets/${change.id}`} className="min-w-0 flex-1 font-bold hover:underline">
          <span className="font-mono text-[13px] font-normal">{change.id}</span> {change.title}
        </Link>
        {change.points !== null ? (
          <span className="inline-flex shrink-0 items-center gap-1">
            <span className={`h-[11px] w-[11px] rounded-[2px] ${RATING_FILL[change.rating] ?? ""}`} aria-hidden="true" />
            risk <b>{change.points}</b> {change.rating}
          </span>
        ) : null}
      </h3>
      <p className="text-[13px] text-ink-2">
        {[
          change.type.toLowerCase(),
          change.starts_s && change.ends_s ? `${exact(change.starts_s)} to ${exact(change.ends_s)}` : "not planned",
          change.holder,
        ]
          .filter(Boolean)
          .join(" · ")}
      </p>
      {item.why ? <p className="mt-1 whitespace-pre-wrap">{item.why}</p> : null}
      <dl className="mt-1 grid grid-cols-[92px_minmax(0,1fr)] gap-x-2 gap-y-0.5">
        {[
          ["Referred", item.referred],
          ["Risky for", item.reasons.map((one) => FACTOR[one]?.says ?? one).join(", ")],
          ["Reaches", item.reached.join(", ")],
          ["Record", item.record],
        ]
          .filter(([, said]) => said)
          .map(([name, said]) => (
            <div key={name} className="contents">
              <dt className="text-ink-2">{name}</dt>
              <dd>{said}</dd>
            </div>
          ))}
        {clashes.length > 0 ? (
          <>
            <dt className="font-semibold text-rust">Clashes</dt>
            <dd>{clashes.slice(0, 4).join("; ")}</dd>
          </>
        ) : null}
      </dl>
      {item.earlier.map((one) => (
        <p key={one.meeting_s} className="text-[13px] text-ink-2">
          {exact(one.meeting_s)}: {one.verdict}
          {one.note ? ` – ${one.note}` : ""}
        </p>
      ))}
      {item.verdict ? (
        <p className="mt-1.5 rounded-small bg-sea-3 px-2.5 py-1.5">
          <b>{item.verdict.verdict[0]?.toUpperCase() + item.verdict.verdict.slice(1)}</b>
          {item.verdict.note ? `: ${item.verdict.note}` : ""} <span className="text-[13px] text-ink-2">{item.verdict.by}</span>
        </p>
      ) : null}
      {item.against && meeting.can_run ? <p className="mt-1.5 text-[13px] text-ink-2">{item.against}</p> : null}
      {asked ? (
        <form
          className="mt-1.5 flex flex-wrap items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (!isBusy && note.trim() !== "") void decide(asked);
          }}
        >
          <input
            autoFocus
            aria-label={NEEDS[asked]}
            placeholder={NEEDS[asked]}
            maxLength={500}
            className={`${inputClass} min-w-[220px] !w-auto flex-1`}
            value={note}
            onChange={(event) => setNote(event.target.value)}
          />
          <Button tone="sea" type="submit" disabled={isBusy || note.trim() === ""}>
            {LABEL[asked]}
          </Button>
          <Button onClick={() => setAsked(null)}>Cancel</Button>
        </form>
      ) : canDecide || canPutOff ? (
        <p className="mt-2 flex flex-wrap gap-2">
          {canDecide ? (
            <>
              <Button tone="sea" disabled={isBusy} onClick={() => void decide("authorised")}>
                Authorise
              </Button>
              <Button disabled={isBusy} onClick={() => setAsked("authorised on condition")}>
                On condition…
              </Button>
              <Button disabled={isBusy} onClick={() => setAsked("rejected")}>
                Reject…
              </Button>
            </>
          ) : null}
          {canPutOff ? (
            <Button disabled={isBusy} onClick={() => setAsked("put off")}>
              Put off…
            </Button>
          ) : null}
        </p>
      ) : null}
    </article>
  );
}

const LABEL: Record<string, string> = { "authorised on condition": "Authorise on condition", rejected: "Reject", "put off": "Put off" };
