import { Paperclip } from "lucide-react";
import type { Entry } from "../api/client";
import { exact, when } from "./time";

interface ConversationProps {
  entries: Entry[];
  now: number;
  /** Whose messages stand on the left. */
  requester: string;
  isPortal?: boolean;
}

/** Messages as sheets, what happened between them as one line each. */
export function Conversation({ entries, now, requester, isPortal = false }: ConversationProps) {
  return (
    <ol className="flex flex-col gap-2.5" aria-label="Conversation">
      {entries.map((entry) => (
        <li key={entry.id} className={entry.is_undone ? "opacity-60" : ""}>
          {entry.is_message && (entry.text || entry.files.length || entry.is_redacted) ? (
            <Message entry={entry} now={now} isPortal={isPortal} />
          ) : (
            <p className="px-3 text-[13px] text-ink-2">
              <time title={exact(entry.at_s)}>{when(entry.at_s, now)}</time>{" "}
              <span className={entry.is_undone ? "line-through" : ""}>{words(entry, requester, now)}</span>
              {entry.is_undone ? " · taken back" : ""}
            </p>
          )}
        </li>
      ))}
    </ol>
  );
}

function Message({ entry, now, isPortal }: { entry: Entry; now: number; isPortal: boolean }) {
  const isDesk = entry.by_desk && entry.kind !== "logged";
  const isNote = entry.is_desk_only || entry.kind === "noted";
  const look = isNote
    ? "border border-dashed border-ink-3 bg-note"
    : isDesk
      ? "border border-line bg-sheet"
      : "border border-transparent bg-sea-3";
  const channel = typeof entry.details.channel === "string" ? ` by ${entry.details.channel}` : "";
  const tag = isNote ? " · desk only, never sent" : isDesk ? " reply" : channel;
  return (
    <article className={`max-w-[88%] rounded-card px-3.5 py-2.5 ${look} ${isDesk !== isPortal ? "ml-auto" : ""} w-full`}>
      <header className="flex flex-wrap justify-between gap-x-4 text-[13px] text-ink-2">
        <span className="font-bold">{entry.actor}</span>
        <span>
          <time title={exact(entry.at_s)}>{when(entry.at_s, now)}</time>
          {tag}
          {entry.is_undone ? " · taken back, not sent" : ""}
        </span>
      </header>
      {entry.is_redacted ? (
        <p className="mt-0.5 italic text-ink-2">This text has been removed.</p>
      ) : (
        <p className="mt-0.5 whitespace-pre-wrap break-words text-[15px] leading-[1.45]">{entry.text}</p>
      )}
      <Files entry={entry} />
    </article>
  );
}

function Files({ entry }: { entry: Entry }) {
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
        </li>
      ))}
    </ul>
  );
}

function words(entry: Entry, requester: string, now: number): string {
  const details = entry.details as Record<string, string | undefined>;
  const who = entry.actor;
  const quote = entry.text ? `: “${entry.text}”` : "";
  switch (entry.kind) {
    case "logged":
      return `${who} reported this${details.channel ? ` by ${details.channel}` : ""}`;
    case "taken":
      return `${who} took it`;
    case "handed over":
      return `${who} handed it to ${[details.team, details.person].filter(Boolean).join(", ")}${quote}`;
    case "waiting": {
      const on = details.on === "requester" ? requester : details.on === "supplier" ? details.supplier : "a date";
      const until = details.until ? ` until ${when(Number(details.until), now)}` : "";
      return `waiting on ${on}${until}${quote}`;
    }
    case "resumed":
      return entry.is_automatic ? "taken up again by itself" : `${who} took it up again`;
    case "resolved":
      return `${who} resolved it${quote}`;
    case "reopened":
      return `${who} reopened it`;
    case "closed":
      return entry.is_automatic ? "closed by itself after the closing period" : `${who} closed it`;
    case "cancelled":
      return `${who} cancelled it${quote}`;
    case "changed":
      return `${who} changed ${changes(entry)}${quote}`;
    case "target missed":
      return `the ${details.clock ?? ""} target ran out`;
    case "announced":
      return `${who} announced it${quote}`;
    case "announcement ended":
      return "the announcement ended";
    case "escalated":
      return `escalation, ${details.when ?? ""}: ${list(entry.details.did)}`;
    case "step passed over":
      return `the escalation step “${details.name ?? ""}” was passed over: ${details.why ?? ""}`;
    case "rule acted":
      return `${list(entry.details.by)}${setWords(entry.details.set)}`;
    case "re-applied":
      return `edition ${text(entry.details.edition)} of the rulebook was applied`;
    case "tasks added":
      return `tasks added: ${list(entry.details.titles)}`;
    case "task done":
      return `${who} set the task “${details.title ?? ""}” to ${details.state ?? "done"}`;
    case "child opened":
      return `a child record was opened: ${details.title ?? ""}`;
    case "major suggested":
      return `suggested as a major incident by ${entry.text}`;
    case "undone":
      return `${who} took back the last act`;
    case "followed":
      return entry.details.people ? `${list(entry.details.people)} follow it now` : "somebody follows it now";
    case "unfollowed":
      return "somebody no longer follows it";
    case "redacted":
      return `${who} removed a text`;
    default:
      return `${who}: ${entry.kind}${quote}`;
  }
}

function changes(entry: Entry): string {
  const list = (entry.details.changes ?? {}) as Record<string, [unknown, unknown]>;
  const parts = Object.entries(list).map(([name, [before, after]]) => `${name} ${text(before)} → ${text(after)}`);
  return parts.join(", ") || "a fact";
}

function list(value: unknown): string {
  return Array.isArray(value) ? value.map(String).join(", ") : "";
}

/** What an automatic act set: " set place to Vell Island". */
function setWords(value: unknown): string {
  const entries = Object.entries((value ?? {}) as Record<string, unknown>);
  return entries.length === 0 ? " acted" : ` set ${entries.map(([name, one]) => `${name} to ${Array.isArray(one) ? one.join(", ") : text(one)}`).join(", ")}`;
}

function text(value: unknown): string {
  return value === null || value === "" || value === undefined ? "nothing" : String(value);
}
