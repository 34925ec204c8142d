import { Paperclip } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import type { Entry } from "../api/client";
import { Initials } from "./Initials";
import { exact, when } from "./time";
import { Switch } from "./ui";

interface ConversationProps {
  entries: Entry[];
  now: number;
  isPortal?: boolean;
  /** Given to those who may remove what somebody wrote. */
  onRemove?: (entry: Entry, file?: string) => void;
  onArticle?: (entry: Entry) => void;
}

const ONLY_MESSAGES = "gannet-messages-only";

/** Messages as sheets; what happened between them as lines, runs of them folded. */
export function Conversation({ entries, now, isPortal = false, onRemove, onArticle }: ConversationProps) {
  const [isOnly, setOnly] = useState(() => localStorage.getItem(ONLY_MESSAGES) === "yes");
  const parts = partsOf(entries, isOnly && !isPortal);
  const messages = entries.filter(isSheet).length;
  return (
    <>
      {isPortal ? null : (
        <div className="mb-2 flex flex-wrap items-baseline gap-x-2.5 gap-y-1">
          <h2 className="font-bold">Conversation</h2>
          <span className="text-[13px] text-ink-2">
            {messages} {messages === 1 ? "message" : "messages"}, newest last
          </span>
          <span className="ml-auto text-[13px]">
            <Switch
              label="What is shown"
              value={isOnly ? "only" : "all"}
              choices={[
                { key: "all", name: "All that happened" },
                { key: "only", name: "Messages only" },
              ]}
              onChoose={(key) => {
                localStorage.setItem(ONLY_MESSAGES, key === "only" ? "yes" : "no");
                setOnly(key === "only");
              }}
            />
          </span>
        </div>
      )}
      <ol className="flex flex-col gap-2" aria-label="Conversation">
        {parts.map((part) =>
          part.length === 1 && part[0] ? (
            <One key={part[0].id} entry={part[0]} now={now} isPortal={isPortal} onRemove={onRemove} onArticle={onArticle} />
          ) : (
            <Run key={`run-${part[0]?.id ?? 0}`} entries={part} now={now} />
          ),
        )}
      </ol>
    </>
  );
}

/** What is drawn as a sheet: what somebody wrote, the resolution and the reason of a hand-over too. */
function isSheet(entry: Entry): boolean {
  const isWritten = Boolean(entry.text) || entry.files.length > 0 || entry.is_redacted;
  return isWritten && (entry.is_message || SAID_WITH[entry.kind] !== undefined);
}

const SAID_WITH: Record<string, string> = { resolved: "Resolution", "handed over": "Hand-over", reopened: "Reopened" };
const LEAST_FOLDED = 3;

/** Sheets alone; three lines or more between them together. */
function partsOf(entries: Entry[], isOnly: boolean): Entry[][] {
  const parts: Entry[][] = [];
  let run: Entry[] = [];
  const end = () => {
    parts.push(...(run.length >= LEAST_FOLDED ? [run] : run.map((one) => [one])));
    run = [];
  };
  for (const entry of entries) {
    if (isSheet(entry)) {
      end();
      parts.push([entry]);
    } else if (!isOnly) run.push(entry);
  }
  end();
  return parts;
}

function One({
  entry,
  now,
  isPortal,
  onRemove,
  onArticle,
}: {
  entry: Entry;
  now: number;
  isPortal: boolean;
  onRemove: ConversationProps["onRemove"];
  onArticle: ConversationProps["onArticle"];
}) {
  return (
    <li className={entry.is_undone ? "opacity-60" : ""}>
      {isSheet(entry) ? (
        <Message entry={entry} now={now} isPortal={isPortal} onRemove={onRemove} onArticle={onArticle} />
      ) : (
        <Happened entry={entry} now={now} />
      )}
    </li>
  );
}

function Happened({ entry, now }: { entry: Entry; now: number }) {
  return (
    <p className="px-3 text-[13px] text-ink-2">
      <time title={exact(entry.at_s)}>{when(entry.at_s, now)}</time>{" "}
      <span className={entry.is_undone ? "line-through" : ""}>{entry.sentence}</span>
      {entry.is_undone ? " · taken back" : ""}
    </p>
  );
}

/** Several lines as one, with the first and the last of them; a click shows all. */
function Run({ entries, now }: { entries: Entry[]; now: number }) {
  const first = entries[0];
  const last = entries.at(-1);
  if (!first || !last) return null;
  const isAutomatic = entries.every((entry) => entry.is_automatic);
  return (
    <li>
      <details className="group/run px-3 text-[13px] text-ink-2">
        <summary className="min-h-[24px] cursor-pointer">
          <b className="font-semibold">
            {entries.length} {isAutomatic ? "automatic " : ""}steps
          </b>
          , {when(first.at_s, now)} – {when(last.at_s, now)}
          <span className="group-open/run:hidden">: {last.sentence}</span>
        </summary>
        <ol className="mt-1 flex flex-col gap-1 border-l border-line-2">
          {entries.map((entry) => (
            <li key={entry.id}>
              <Happened entry={entry} now={now} />
            </li>
          ))}
        </ol>
      </details>
    </li>
  );
}

function Message({
  entry,
  now,
  isPortal,
  onRemove,
  onArticle,
}: {
  entry: Entry;
  now: number;
  isPortal: boolean;
  onRemove: ConversationProps["onRemove"];
  onArticle: ConversationProps["onArticle"];
}) {
  const isDesk = entry.by_desk && entry.kind !== "logged";
  const isNote = entry.is_desk_only || entry.kind === "noted" || entry.kind === "handed over";
  const said = SAID_WITH[entry.kind];
  const look = isNote
    ? "border border-dashed border-ink-3 bg-note"
    : isDesk
      ? "border border-line bg-sheet"
      : "border border-transparent bg-sea-3";
  const channel = entry.channel && entry.channel !== "desk" ? ` by ${entry.channel}` : "";
  const tag = isNote ? (isPortal ? "" : " · desk only, never sent") : isDesk ? "" : channel;
  return (
    <article className={`group max-w-[88%] rounded-card px-3.5 py-2.5 ${look} ${isDesk !== isPortal ? "ml-auto" : ""} w-full`}>
      <header className="flex flex-wrap justify-between gap-x-4 text-[13px] text-ink-2">
        <span className="flex min-w-0 flex-wrap items-center gap-1.5">
          <Initials name={entry.actor} />
          <span className="font-bold text-ink">{entry.actor}</span>
          {said ? <span className="rounded-small bg-sea-2/60 px-1.5 font-semibold text-ink">{said}</span> : null}
          {entry.kind === "handed over" ? <span>{entry.sentence.replace(/^.*? handed it (to [^:“]*).*$/s, "$1").trim()}</span> : null}
          {entry.of !== null ? (
            <>
              {" "}
              on{" "}
              <Link className="font-mono underline" to={`/desk/tickets/${entry.of}`}>
                {entry.of}
              </Link>
              , merged into this
            </>
          ) : null}
        </span>
        <span>
          <SentTo entry={entry} now={now} />
          <time title={exact(entry.at_s)}>{when(entry.at_s, now)}</time>
          {tag}
          {entry.unverified ? (
            <b className="ml-1.5 rounded-small bg-rust-2 px-1.5 py-0.5 text-rust" title={entry.unverified}>
              sender not verified
            </b>
          ) : null}
          {entry.is_undone ? " · taken back, not sent" : ""}
          {onArticle && entry.is_message && entry.of === null && entry.text && !entry.is_redacted ? (
            <button
              type="button"
              className="ml-2 min-h-[24px] underline opacity-0 hover:text-ink focus:opacity-100 group-hover:opacity-100 [@media(hover:none)]:opacity-100"
              aria-label={`Make an article of what ${entry.actor} wrote`}
              onClick={() => onArticle(entry)}
            >
              make an article…
            </button>
          ) : null}
          {onRemove && entry.of === null && entry.text && !entry.is_redacted ? (
            <button
              type="button"
              className="ml-2 min-h-[24px] underline opacity-0 hover:text-ink focus:opacity-100 group-hover:opacity-100 [@media(hover:none)]:opacity-100"
              aria-label={`Remove what ${entry.actor} wrote`}
              onClick={() => onRemove(entry)}
            >
              remove…
            </button>
          ) : null}
        </span>
      </header>
      {entry.is_redacted ? <p className="mt-0.5 italic text-ink-2">This text has been removed.</p> : <Text entry={entry} />}
      <Files entry={entry} onRemove={onRemove} />
    </article>
  );
}

/** To whom it went and whether it left; what went wrong is said, not hidden. */
function SentTo({ entry, now }: { entry: Entry; now: number }) {
  const [first] = entry.sent_to;
  if (!first) return null;
  const wrong = entry.sent_to.filter((one) => one.state === "bounced" || one.state === "failing");
  const words = (one: (typeof entry.sent_to)[number]) => {
    if (one.state === "left") return `left ${when(one.at_s, now)}`;
    if (one.state === "waiting") return one.at_s - now > 60 ? `leaves ${when(one.at_s, now)}` : "about to leave";
    if (one.state === "bounced") return `could not be delivered, ${when(one.at_s, now)}`;
    return one.state === "failing" ? `not sent yet: ${one.problem}` : "not sent";
  };
  const all = entry.sent_to.map((one) => `${one.to}: ${words(one)}`).join("; ");
  return (
    <span title={all} className="mr-1.5">
      to{" "}
      {entry.sent_to.length > 2 ? `${first.to} and ${entry.sent_to.length - 1} others` : entry.sent_to.map((one) => one.to).join(" and ")} ·{" "}
      {wrong[0] ? <b className="text-rust">{`${wrong[0].to}: ${words(wrong[0])}`}</b> : words(first)} ·{" "}
    </span>
  );
}

/** A message as it was written: marked text is made harmless by the server, plain text is plain. */
function Text({ entry }: { entry: Entry }) {
  const [own, quoted] = splitQuoted(entry.text);
  if (entry.html)
    return <div className="marked mt-0.5 break-words text-[15px] leading-[1.45]" dangerouslySetInnerHTML={{ __html: entry.html }} />;
  return (
    <>
      <p className="mt-0.5 whitespace-pre-wrap break-words text-[15px] leading-[1.45]">{own}</p>
      {quoted ? (
        <details className="text-[13px] text-ink-2">
          <summary className="min-h-[24px] cursor-pointer">earlier text and signature</summary>
          <p className="whitespace-pre-wrap break-words">{quoted}</p>
        </details>
      ) : null}
    </>
  );
}

/** What mail carries along stands behind a sign that the reader of mail puts there. */
const FOLD = "\n\u2063\n";

function splitQuoted(text: string): [string, string] {
  const at = text.indexOf(FOLD);
  return at < 0 ? [text, ""] : [text.slice(0, at), text.slice(at + FOLD.length)];
}

function Files({ entry, onRemove }: { entry: Entry; onRemove: ConversationProps["onRemove"] }) {
  if (entry.files.length === 0) return null;
  return (
    <ul className="mt-2 flex flex-wrap gap-2">
      {entry.files.map((file) => (
        <li key={file.id}>
          <a
            href={`/api/attachments/${file.id}`}
            download={file.name}
            className="flex items-center gap-2 rounded-small border border-line-2 bg-sheet px-2 py-1 hover:border-sea"
          >
            {file.is_picture ? (
              <img src={`/api/attachments/${file.id}`} alt={file.name} className="max-h-20 max-w-32 rounded object-cover" />
            ) : (
              <Paperclip size={14} aria-hidden="true" />
            )}
            <span className="text-[13px]">
              {file.name} · {Math.max(1, Math.round(file.size / 1024))} KB
            </span>
          </a>
          {onRemove && entry.of === null && file.size > 0 ? (
            <button
              type="button"
              className="min-h-[24px] text-[13px] text-ink-2 underline"
              aria-label={`Remove the file ${file.name}`}
              onClick={() => onRemove(entry, file.id)}
            >
              remove…
            </button>
          ) : null}
        </li>
      ))}
    </ul>
  );
}
