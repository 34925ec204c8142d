import { Paperclip } from "lucide-react";
import { Link } from "react-router";
import type { Entry } from "../api/client";
import { exact, when } from "./time";

interface ConversationProps {
  entries: Entry[];
  now: number;
  /** Whose messages stand on the left. */
  requester: string;
  isPortal?: boolean;
  /** Given to those who may remove what somebody wrote. */
  onRemove?: (entry: Entry, file?: string) => void;
}

/** Messages as sheets, what happened between them as one line each. */
export function Conversation({ entries, now, requester, isPortal = false, onRemove }: ConversationProps) {
  return (
    <ol className="flex flex-col gap-2.5" aria-label="Conversation">
      {entries.map((entry) => (
        <li key={entry.id} className={entry.is_undone ? "opacity-60" : ""}>
          {entry.is_message && (entry.text || entry.files.length || entry.is_redacted) ? (
            <Message entry={entry} now={now} isPortal={isPortal} onRemove={onRemove} />
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

function Message({ entry, now, isPortal, onRemove }: { entry: Entry; now: number; isPortal: boolean; onRemove: ConversationProps["onRemove"] }) {
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
          {entry.details.unverified ? (
            <b className="ml-1.5 rounded-small bg-rust-2 px-1.5 py-0.5 text-rust" title={String(entry.details.unverified)}>
              sender not verified
            </b>
          ) : null}
          {entry.is_undone ? " · taken back, not sent" : ""}
          {onRemove && entry.of === null && entry.text && !entry.is_redacted ? (
            <button type="button" className="ml-2 min-h-[24px] underline opacity-0 hover:text-ink focus:opacity-100 group-hover:opacity-100 [@media(hover:none)]:opacity-100" aria-label={`Remove what ${entry.actor} wrote`} onClick={() => onRemove(entry)}>
              remove…
            </button>
          ) : null}
        </span>
      </header>
      {entry.is_redacted ? (
        <p className="mt-0.5 italic text-ink-2">This text has been removed.</p>
      ) : (
        <Text entry={entry} />
      )}
      <Files entry={entry} onRemove={onRemove} />
    </article>
  );
}

/** A message as it was written: marked text is made harmless by the server, plain text is plain. */
function Text({ entry }: { entry: Entry }) {
  const [own, quoted] = splitQuoted(entry.text);
  if (entry.html) return <div className="marked mt-0.5 break-words text-[15px] leading-[1.45]" dangerouslySetInnerHTML={{ __html: entry.html }} />;
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
export const FOLD = "\n\u2063\n";

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
            <button type="button" className="min-h-[24px] text-[13px] text-ink-2 underline" aria-label={`Remove the file ${file.name}`} onClick={() => onRemove(entry, file.id)}>
              remove…
            </button>
          ) : null}
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
      if (details.on === "approval") return `waiting for a decision${quote}`;
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
    case "task changed":
      return `${who} changed the task “${text(details.title)}”${details.state ? `: ${details.state}` : ""}`;
    case "linked":
      return `${who} linked it: ${text(details.how)} ${text(details.other)}`;
    case "unlinked":
      return `${who} took the link to ${text(details.other)} away`;
    case "merged":
      return `${who} merged ${text(details.ticket)} into it: ${text(details.title)}`;
    case "approval asked":
      return `${who} asked ${text(details.name)} to approve: ${text(details.what)}`;
    case "approval decided":
      return `${who} ${details.name ? `(${text(details.name)}) ` : ""}: ${text(details.state)} “${text(details.what)}”${details.through && details.through !== "signed in" ? ` ${details.through}` : ""}${quote}`.replace(" :", ":");
    case "route began":
      return "it has to be decided first";
    case "route ended":
      return details.what === "refused" ? `not approved${quote}` : details.what === "approved" ? "approved: it goes ahead" : text(details.what);
    case "asked back":
      return `${who} asks before deciding${quote}`;
    case "passed on":
      return `${who} passed the decision on to ${text(details.name)}${quote}`;
    case "answers changed":
      return `${who} changed the answers`;
    case "child ended":
      return `${text(details.title)} is ${details.state === "resolved" ? "there" : text(details.state)}: ${text(details.by)}`;
    case "time logged":
      return `${who} logged ${text(details.minutes)} min${details.what ? `, ${details.what}` : ""}`;
    case "set unwanted":
      return `${who} said that it is not for us${details.sender ? `; mail from ${details.sender} is kept aside` : ""}`;
    case "passed out":
      return `${who} passed it on: ${text(details.system)}, ${text(details.title)}`;
    case "outside changed":
      return `${text(details.system)}: ${text(details.title)} is now ${text(details.state)}`;
    case "runbook ran":
      return `${who} ran “${text(details.title)}”, ${text(details.state)}: ${list(entry.details.log)}`;
    case "survey asked":
      return "the requester was asked how it was";
    case "survey answered":
      return `${who}: ${text(details.score)} of 5${quote}`;
    case "alerted":
      return `monitoring: ${text(details.alert)}`;
    case "imported":
      return `${who} imported it`;
    case "tasks added":
      return `tasks added: ${list(entry.details.titles)}`;
    case "task done":
      return `${who} set the task “${details.title ?? ""}” to ${details.state ?? "done"}${yielded(entry.details.outputs)}`;
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

/** What doing a task yielded: ", asset tag NF-2210". */
function yielded(value: unknown): string {
  return Object.entries((value ?? {}) as Record<string, string>)
    .map(([name, one]) => `, ${name} ${one}`)
    .join("");
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
