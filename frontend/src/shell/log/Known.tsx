import { Link } from "react-router";
import { when } from "../../parts/time";
import { StepsCard } from "../../parts/WhyCard";
import { Button } from "../../parts/ui";
import type { LogPreview } from "./call";

interface KnownProps {
  preview: LogPreview | undefined;
  caller: string;
  canAdd: boolean;
  isAdding: boolean;
  onAdd: (number: number) => void;
  onGuess: (service: number) => void;
  onClose: () => void;
}

/** What is known already – outages, likely duplicates, articles – and what would come of it now. */
export function Known({ preview, caller, canAdd, isAdding, onAdd, onGuess, onClose }: KnownProps) {
  if (!preview) return <p className="text-ink-2">As you type: known outages, likely duplicates, and what it would become.</p>;
  const now = preview.now_s;
  const first = caller.split(" ")[0] ?? "";
  return (
    <div className="flex flex-col gap-3">
      {preview.outages.map((outage) => (
        <section key={outage.id} aria-label="Known outage" className="rounded-small border border-rust bg-rust-2 px-3 py-2">
          <p className="flex flex-wrap justify-between gap-x-3">
            <b>Known outage since {when(outage.since_s, now)}</b>
            {outage.next_news_s ? <span className="text-[13px]">next news {when(outage.next_news_s, now)}</span> : null}
          </p>
          <p>{outage.title}</p>
          <p className="mt-1 flex items-center gap-2 text-[13px]">
            <Button disabled={!canAdd || isAdding} onClick={() => onAdd(outage.id)}>
              Add {first || "the caller"} to it
            </Button>
            {outage.hits} affected ·{" "}
            <Link to={`/desk/tickets/${outage.id}`} onClick={onClose} className="underline">
              {outage.id}
            </Link>
          </p>
        </section>
      ))}
      {preview.guess ? (
        <p>
          The words speak of{" "}
          <button type="button" className="font-semibold underline" onClick={() => onGuess(preview.guess?.id ?? 0)}>
            {preview.guess.name}
          </button>{" "}
          <span className="text-[13px] text-ink-2">{preview.guess.why}</span>
        </p>
      ) : null}
      {preview.duplicates.length > 0 ? (
        <section aria-label="Likely duplicates">
          <h3 className="font-bold">Likely duplicates</h3>
          {preview.duplicates.map((one) => (
            <div key={one.id} className="border-b border-line py-1.5 last:border-0">
              <Link to={`/desk/tickets/${one.id}`} onClick={onClose} className="hover:underline">
                <span className="font-mono text-[13px]">{one.id}</span> <b>{one.title}</b>
              </Link>
              <p className="flex items-baseline gap-2 text-[13px] text-ink-2">
                <span className="min-w-0 flex-1">
                  {one.state}, {when(one.opened_s, now)} · {one.why}
                </span>
                <button
                  type="button"
                  className="min-h-[24px] shrink-0 text-ink underline disabled:text-ink-3"
                  disabled={!canAdd || isAdding}
                  onClick={() => onAdd(one.id)}
                >
                  Add to it
                </button>
              </p>
            </div>
          ))}
        </section>
      ) : null}
      {preview.articles.length > 0 ? (
        <section aria-label="Articles">
          <h3 className="font-bold">Articles</h3>
          {preview.articles.map((one) => (
            <p key={one.id} className="py-0.5">
              <Link to={`/desk/articles/${one.id}`} target="_blank" className="hover:underline">
                <span className="font-mono text-[13px]">{one.id}</span> {one.title}
              </Link>{" "}
              {one.used > 0 ? <span className="text-[13px] text-ink-2">helped {one.used === 1 ? "once" : `${one.used} times`}</span> : null}
            </p>
          ))}
        </section>
      ) : null}
      <section aria-label="If logged now" className="rounded-card border border-line bg-paper px-3 py-2.5">
        <h3>
          <b>If logged now</b> <span className="text-[13px] text-ink-2">nothing is saved or sent yet</span>
        </h3>
        <p className="mt-1 flex items-baseline justify-between">
          <b className="rounded-small border border-ink px-1.5">P{preview.priority}</b>
          <StepsCard title={`Priority P${preview.priority}`} steps={preview.why_priority} />
        </p>
        {preview.unsaid.length > 0 ? <p className="text-[13px] text-ink-2">Assumed until you answer: {preview.unsaid.join(" ")}</p> : null}
        <PromiseLine preview={preview} now={now} />
        <dl className="mt-1 grid grid-cols-[84px_1fr] gap-x-2 gap-y-0.5 text-[13px]">
          <dt className="text-ink-2">SLA</dt>
          <dd>
            {preview.agreement || "none applies"}{" "}
            {preview.why_agreement.length > 0 ? <StepsCard title={preview.agreement || "No SLA"} steps={preview.why_agreement} /> : null}
          </dd>
          <dt className="text-ink-2">Team</dt>
          <dd>
            {preview.team} <span className="text-ink-2">{preview.why_team}</span>
          </dd>
          <dt className="text-ink-2">Assignee</dt>
          <dd>
            {preview.person || "nobody yet"} <span className="text-ink-2">{preview.why_person}</span>
          </dd>
        </dl>
      </section>
    </div>
  );
}

/** Response and resolution on one line to scale: where each lies between now and the later one. */
function PromiseLine({ preview, now }: { preview: LogPreview; now: number }) {
  const marks = [
    { label: "response", at: preview.answer_due_s },
    { label: "resolution", at: preview.fix_due_s },
  ].filter((one): one is { label: string; at: number } => one.at !== null);
  if (marks.length === 0) return <p className="text-[13px] text-ink-2">No date is promised.</p>;
  const end = Math.max(...marks.map((one) => one.at));
  const place = (at: number) => `${Math.min(100, Math.max(0, ((at - now) / Math.max(1, end - now)) * 100))}%`;
  return (
    <div className="my-1">
      <div className="relative h-[14px]" aria-hidden="true">
        <span className="absolute inset-x-0 top-[6px] h-[3px] bg-sea-2" />
        {marks.map((one) => (
          <span
            key={one.label}
            className={`absolute top-0 h-[14px] w-[3px] -translate-x-full ${one.label === "response" ? "bg-crown" : "bg-sea"}`}
            style={{ left: place(one.at) }}
          />
        ))}
      </div>
      <p className="flex flex-wrap justify-between gap-x-3 text-[13px]">
        {marks.map((one) => (
          <span key={one.label}>
            {one.label} <b>{when(one.at, now)}</b>
          </span>
        ))}
      </p>
    </div>
  );
}
