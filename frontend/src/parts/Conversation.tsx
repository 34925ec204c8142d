import { Paperclip } from "lucide-react";
import { Link } from "react-router";
import type { Entry } from "../api/client";
import { exact, when } from "./time";

interface ConversationProps {
  entries: Entry[];
  now: number;
  isPortal?: boolean;
  /** Given to those who may remove what somebody wrote. */
  onRemove?: (entry: Entry, file?: string) => void;
}

/** Messages as sheets, what happened between them as one line each. */
export function Conversation({ entries, now, isPortal = false, onRemove }: ConversationProps) {
  return (
    <ol className="flex flex-col gap-2.5" aria-label="Conversation">
      {entries.map((entry) => (
        <li key={entry.id} className={entry.is_undone ? "opacity-60" : ""}>
          {entry.is_message && (entry.text || entry.files.length || entry.is_redacted) ? (
            <Message entry={entry} now={now} isPortal={isPortal} onRemove={onRemove} />
          ) : (
            <p className="px-3 text-[13px] text-ink-2">
              <time title={exact(entry.at_s)}>{when(entry.at_s, now)}</time>{" "}
              <span className={entry.is_undone ? "line-through" : ""}>{entry.sentence}</span>
              {entry.is_undone ? " · taken back" : ""}
            </p>
          )}
        </li>
      ))}
    </ol>
  );
}

function Message({
  entry,
  now,
  isPortal,
  onRemove,
}: {
  entry: Entry;
  now: number;
  isPortal: boolean;
  onRemove: ConversationProps["onRemove"];
}) {
  const isDesk = entry.by_desk && entry.kind !== "logged";
  const isNote = entry.is_desk_only || entry.kind === "noted";
  const look = isNote
    ? "border border-dashed border-ink-3 bg-note"
    : isDesk
      ? "border border-line bg-sheet"
      : "border border-transparent bg-sea-3";
  const channel = entry.channel ? ` by ${entry.channel}` : "";
  const tag = isNote ? " · desk only, never sent" : isDesk ? " reply" : channel;
  return (
    <article className={`group max-w-[88%] rounded-card px-3.5 py-2.5 ${look} ${isDesk !== isPortal ? "ml-auto" : ""} w-full`}>
      <header className="flex flex-wrap justify-between gap-x-4 text-[13px] text-ink-2">
        <span>
          <span className="font-bold">{entry.actor}</span>
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
          <time title={exact(entry.at_s)}>{when(entry.at_s, now)}</time>
          {tag}
          {entry.unverified ? (
            <b className="ml-1.5 rounded-small bg-rust-2 px-1.5 py-0.5 text-rust" title={entry.unverified}>
              sender not verified
            </b>
          ) : null}
          {entry.is_undone ? " · taken back, not sent" : ""}
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
