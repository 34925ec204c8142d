import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, ok } from "../../api/client";
import { useDebounced } from "../../parts/hooks";
import { instantOfLocal, when } from "../../parts/time";
import { Dialog, Field, inputClass } from "../../parts/ui";
import { WhenInput } from "../../parts/WhenInput";
import { fileLink, type Room } from "./roomWords";

const KINDS: Record<string, string> = { message: "said", file: "file", entry: "timeline", event: "happened" };

/** Messages, files, entries and events by words, person, label, channel and time. */
export function FindInRoom({ room, now, onClose }: { room: Room; now: number; onClose: () => void }) {
  const [, setParams] = useSearchParams();
  const [words, setWords] = useState("");
  const [person, setPerson] = useState("");
  const [channel, setChannel] = useState("");
  const [label, setLabel] = useState("");
  const [kind, setKind] = useState("");
  const [from, setFrom] = useState("");
  const [to, setTo] = useState("");
  const asked = useDebounced(`${words}\n${person}`, 250);
  const { data } = useQuery({
    queryKey: ["room-find", room.id, asked, kind, channel, label, from, to],
    queryFn: () =>
      ok(
        api.GET("/api/rooms/{number}/find", {
          params: {
            path: { number: room.id },
            query: {
              words,
              person,
              kind,
              channel,
              label,
              ...(from ? { from_s: instantOfLocal(from) } : {}),
              ...(to ? { to_s: instantOfLocal(to) } : {}),
            },
          },
        }),
      ),
    enabled: (words + person + kind + label + channel + from + to).trim() !== "",
    placeholderData: (before) => before,
  });
  return (
    <Dialog title={`Find in ${room.call_sign}`} isOpen isWide onClose={onClose}>
      <form className="grid grid-cols-2 gap-2 max-[600px]:grid-cols-1" role="search" onSubmit={(event) => event.preventDefault()}>
        <Field label="Words">
          {(props) => (
            <input {...props} autoFocus className={inputClass} value={words} onChange={(event) => setWords(event.target.value)} />
          )}
        </Field>
        <Field label="Person">
          {(props) => <input {...props} className={inputClass} value={person} onChange={(event) => setPerson(event.target.value)} />}
        </Field>
        <Field label="Channel">
          {(props) => (
            <select {...props} className={inputClass} value={channel} onChange={(event) => setChannel(event.target.value)}>
              <option value="">all that are open to me</option>
              {room.channels.map((one) => (
                <option key={one.id}>{one.name}</option>
              ))}
            </select>
          )}
        </Field>
        <Field label="Label">
          {(props) => (
            <select {...props} className={inputClass} value={label} onChange={(event) => setLabel(event.target.value)}>
              <option value="">any</option>
              {room.labels.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          )}
        </Field>
        <Field label="Kind">
          {(props) => (
            <select {...props} className={inputClass} value={kind} onChange={(event) => setKind(event.target.value)}>
              <option value="">any</option>
              {Object.entries(KINDS).map(([key, name]) => (
                <option key={key} value={key}>
                  {name}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="From">{(props) => <WhenInput props={props} value={from} onChange={setFrom} />}</Field>
        <Field label="Until">{(props) => <WhenInput props={props} value={to} onChange={setTo} />}</Field>
      </form>
      <p role="status" className="mt-2 text-[13px] text-ink-2">
        {data ? `${data.length} found` : "Type a word, or choose."}
      </p>
      <ul className="max-h-[44vh] overflow-y-auto">
        {(data ?? []).map((one) => (
          <li key={`${one.kind}${one.id}`} className="flex items-baseline gap-2 border-b border-line py-1">
            <span className="w-[64px] shrink-0 text-[13px] text-ink-2">{KINDS[one.kind] ?? one.kind}</span>
            <span className="min-w-0 flex-1 break-words">
              {one.kind === "file" ? (
                <a className="underline" href={fileLink(room.id, one.id)}>
                  {one.text}
                </a>
              ) : one.channel_id !== null ? (
                <button
                  type="button"
                  className="text-left hover:underline"
                  onClick={() => {
                    setParams({ channel: String(one.channel_id) });
                    onClose();
                  }}
                >
                  {one.text}
                </button>
              ) : (
                one.text
              )}{" "}
              <span className="text-[13px] text-ink-2">
                {one.who}
                {one.channel ? `, ${one.channel}` : ""}
                {one.label ? `, ${one.label}` : ""}
              </span>
            </span>
            <time className="text-[13px] text-ink-2">{when(one.at_s, now)}</time>
          </li>
        ))}
      </ul>
    </Dialog>
  );
}
