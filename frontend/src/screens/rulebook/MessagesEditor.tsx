import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, ok, sentence } from "../../api/client";
import { useDebounced } from "../../parts/hooks";
import { ErrorNote } from "../../parts/ui";
import { type Entry, NEEDLE, useBook, useEdit, useEntry } from "./data";
import { entriesOf } from "./edits";
import { keyFrom } from "./edits";
import { EditState, options, Part, PickMany, PickOne, smallInput, TextInput } from "./parts";
import type { SectionSpec } from "./section/spec";
import { eventWords, whoOptions, whoWords } from "./who";

export interface Message extends Entry {
  name?: string;
  subject: string;
  body: string;
}

export const messageName = (one: Message) => one.name ?? one.key;

export const messages: SectionSpec<Message> = {
  section: "messages",
  title: "Messages",
  one: "message",
  about: "What notifications and rules send. Placeholders in braces stand for the ticket’s own words.",
  nameOf: messageName,
  wordsOf: (one) => `${one.subject} ${one.body}`,
  freshName: "new message",
  columns: [{ label: "subject", of: (one) => one.subject }],
  bulk: [],
  fresh: [
    {
      label: "New message",
      make: (key) => ({
        key,
        name: "New message",
        subject: "[Gannet {number}] {title}",
        body: "Hello {name},\n\n{text}\n\n{link}",
      }),
    },
  ],
  Editor: MessageEditor,
};

function MessageEditor({ stored }: { stored: Message }) {
  const { words } = useBook();
  const editing = useEntry<Message>("messages", stored.key, stored);
  const message = editing.value;
  const [ticket, setTicket] = useState("");
  const body = useRef<HTMLTextAreaElement>(null);
  const late = useDebounced(JSON.stringify([message.subject, message.body, ticket]), 300);
  const preview = useQuery({
    queryKey: [...NEEDLE, "message", late],
    queryFn: () => {
      const [subject, text, number] = JSON.parse(late) as [string, string, string];
      return ok(api.POST("/api/rulebook/preview-message", { body: { subject, body: text, ticket: number ? +number : null } }));
    },
    retry: false,
    placeholderData: (old) => old,
  });
  const insert = (placeholder: string) => {
    const area = body.current;
    const at = area?.selectionStart ?? message.body.length;
    editing.set({ ...message, body: `${message.body.slice(0, at)}{${placeholder}}${message.body.slice(area?.selectionEnd ?? at)}` });
    area?.focus();
  };
  return (
    <div>
      <EditState editing={editing} />
      <TextInput
        label="Name of the message"
        isName
        className={`${smallInput} mb-2 w-72 font-bold`}
        value={messageName(message)}
        onChange={(name) => editing.set({ ...message, name: name || message.key })}
      />
      <label className="block text-ink-2">
        Subject
        <TextInput
          label="Subject"
          className={`${smallInput} w-full py-1 text-ink`}
          value={message.subject}
          onChange={(subject) => editing.set({ ...message, subject })}
        />
      </label>
      <label className="mt-2 block text-ink-2">
        Body
        <textarea
          ref={body}
          rows={9}
          className={`${smallInput} w-full py-1 text-ink`}
          value={message.body}
          onChange={(event) => editing.set({ ...message, body: event.target.value })}
        />
      </label>
      <p className="mt-1 flex flex-wrap gap-x-3 text-[13px]">
        {Object.entries(words.placeholders).map(([name, about]) => (
          <button key={name} type="button" className="why min-h-[24px] text-ink-2" title={about} onClick={() => insert(name)}>
            {`{${name}}`}
          </button>
        ))}
      </p>
      {preview.data && preview.data.unknown.length > 0 ? (
        <p className="mt-1 text-rust">
          There is no placeholder {preview.data.unknown.map((name) => `{${name}}`).join(", ")}: it would be sent as it stands.
        </p>
      ) : null}
      <Part
        title="As it would read"
        aside={
          <label className="text-ink-2">
            on ticket{" "}
            <input
              type="number"
              aria-label="Ticket to show it on"
              className={`${smallInput} w-20`}
              placeholder={preview.data ? String(preview.data.ticket) : ""}
              value={ticket}
              onChange={(event) => setTicket(event.target.value)}
            />
          </label>
        }
      >
        {preview.error ? <ErrorNote>{sentence(preview.error)}</ErrorNote> : null}
        {preview.data ? (
          <div className="rounded-card border border-line bg-paper px-4 py-3">
            <p className="font-bold">{preview.data.subject}</p>
            <p className="mt-2 whitespace-pre-wrap">{preview.data.body}</p>
          </div>
        ) : null}
      </Part>
    </div>
  );
}

interface Notification extends Entry {
  event: string;
  to: string;
  message: string;
  is_on?: boolean;
}

export function NotificationsEditor() {
  const { document, words } = useBook();
  const edit = useEdit();
  const all = entriesOf<Notification>(document, "notifications");
  const messages = entriesOf<Message>(document, "messages").map((one) => ({ key: one.key, name: messageName(one) }));
  const set = (one: Notification, change: Partial<Notification>) =>
    edit.mutate({ section: "notifications", key: one.key, before: one, after: { ...one, ...change } });
  const events = [...new Set(all.map((one) => one.event))];
  const put = (event: string, to: string) => {
    const key = keyFrom(
      `${event} ${to}`,
      all.map((one) => one.key),
    );
    edit.mutate({
      section: "notifications",
      key,
      before: null,
      after: { key, event, to, message: messages.some((one) => one.key === event) ? event : (messages[0]?.key ?? ""), is_on: true },
    });
  };
  return (
    <>
      <p className="text-ink-2">
        Who is told of what, with which message. People can turn off or gather what the desk is told under “Notification settings”.
      </p>
      <table className="mt-2 w-full">
        <thead>
          <tr className="border-b border-line text-left text-ink-2">
            <th scope="col" className="py-1 font-normal">
              when
            </th>
            {words.audiences.map((to) => (
              <th key={to} scope="col" className="py-1 font-normal">
                {whoWords(to)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {events.map((event) => (
            <tr key={event} className="border-b border-line">
              <th scope="row" className="py-1.5 pr-3 text-left font-normal">
                {eventWords(event)}
              </th>
              {words.audiences.map((to) => {
                const one = all.find((entry) => entry.event === event && entry.to === to);
                return (
                  <td key={to} className="py-1.5 pr-2">
                    {one ? (
                      <span className="flex items-center gap-3">
                        <input
                          type="checkbox"
                          className="h-[24px] w-[16px]"
                          aria-label={`Tell ${whoWords(to)} when ${eventWords(event)}`}
                          checked={one.is_on !== false}
                          onChange={(change) => set(one, { is_on: change.target.checked })}
                        />
                        <PickOne
                          label={`Message to ${whoWords(to)} when ${eventWords(event)}`}
                          options={messages}
                          value={one.message}
                          onChange={(message) => set(one, { message })}
                        />
                      </span>
                    ) : (
                      <button
                        type="button"
                        aria-label={`Tell ${whoWords(to)} too when ${eventWords(event)}`}
                        className="min-h-[24px] min-w-[24px] text-ink-3 hover:text-ink"
                        onClick={() => put(event, to)}
                      >
                        –
                      </button>
                    )}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

interface Quiet {
  from?: string;
  to?: string;
  audiences?: string[];
  except?: string[];
  digest_at?: string;
}

export function QuietEditor() {
  const { document, words } = useBook();
  const editing = useEntry<Quiet>("quiet", "", document.quiet as Quiet);
  const quiet = editing.value;
  const matrix = document.matrix as { cells: (number | null)[][] };
  const priorities = [...new Set(matrix.cells.flat())].filter((one) => one !== null).sort((one, other) => one - other);
  const set = (change: Partial<Quiet>) => editing.set({ ...quiet, ...change });
  const time = (name: "from" | "to" | "digest_at", label: string) => (
    <input
      type="time"
      aria-label={label}
      className={smallInput}
      value={quiet[name] ?? ""}
      onChange={(event) => set({ [name]: event.target.value })}
    />
  );
  return (
    <>
      <EditState editing={editing} />
      <p className="text-[16px] leading-9">
        From {time("from", "Quiet from")} to {time("to", "Quiet to")} in their own zone, messages to{" "}
        <PickMany
          label="Who has quiet hours"
          options={whoOptions(words.audiences.filter((one) => one !== "requester"))}
          value={quiet.audiences ?? []}
          onChange={(audiences) => set({ audiences })}
        />{" "}
        wait until it is over, except about{" "}
        <PickMany
          label="Except"
          placeholder="nothing"
          options={options(priorities.map((priority) => `P${priority}`))}
          value={quiet.except ?? []}
          onChange={(next) => set({ except: next })}
        />
        . Digests go out at {time("digest_at", "Digests at")}.
      </p>
      <p className="text-ink-2">What somebody asked for themselves is never held back. People can set quiet hours of their own.</p>
    </>
  );
}
