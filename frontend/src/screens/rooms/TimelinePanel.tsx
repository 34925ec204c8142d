import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { useDraft } from "../../parts/hooks";
import { MenuItem } from "../../parts/Menu";
import { clockTime, exact, instantOfLocal, localInput, startOfDay, wholeDay } from "../../parts/time";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { WhenInput } from "../../parts/WhenInput";
import { Foot } from "../problems/Causes";
import { LineMenu } from "./LineMenu";
import { type TimelineEntry, timelineKey, useRoomAct } from "./room";
import { fileLink, fileSize, type Room } from "./roomWords";

const LOOKS: Record<string, string> = {
  decided: "bg-crown-2",
  told: "bg-sea-2/70",
  seen: "border border-line-2",
  tried: "border border-line-2",
};
const EMPTY = { text: "", label: "", at: "" };

/** One line of what happened: written, lifted from the room, or derived from what was done. */
export function TimelinePanel({ room, now }: { room: Room; now: number }) {
  const [label, setLabel] = useState("");
  const [changing, setChanging] = useState<TimelineEntry | null>(null);
  const { data, error } = useQuery({
    queryKey: [...timelineKey(room.id), label],
    queryFn: () => ok(api.GET("/api/rooms/{number}/timeline", { params: { path: { number: room.id }, query: { label } } })),
    placeholderData: (before) => before,
  });
  const { act, isBusy } = useRoomAct(room.id);
  const draft = useDraft(`room-entry-${room.id}`, EMPTY);
  const write = async () => {
    const isDone = await act(() =>
      ok(
        api.POST("/api/rooms/{number}/timeline", {
          params: { path: { number: room.id } },
          body: {
            text: draft.body.text,
            label: draft.body.label as "seen",
            is_for_all: true,
            ...(draft.body.at ? { at: new Date(instantOfLocal(draft.body.at) * 1000).toISOString() } : {}),
          },
        }),
      ),
    );
    if (isDone) draft.clear();
  };
  return (
    <section aria-labelledby="timeline-title" className="rounded-card border border-line bg-sheet">
      <div className="flex flex-wrap items-baseline gap-x-2 gap-y-1 border-b border-line px-3.5 py-2">
        <h2 id="timeline-title" className="font-bold">
          Timeline
        </h2>
        <span className="text-[13px] text-ink-2">ring: derived</span>
        <span className="ml-auto flex flex-wrap gap-1">
          {["", "decided", "told", "seen", "tried", "files"].map((one) => (
            <button
              key={one}
              type="button"
              aria-pressed={label === one}
              className={`min-h-[24px] rounded border px-1.5 text-[12px] font-semibold ${label === one ? "border-sea bg-sea-2/70" : "border-line-2 hover:bg-sea-3"}`}
              onClick={() => setLabel(one)}
            >
              {one || "all"}
            </button>
          ))}
        </span>
      </div>
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      <ol
        className="max-h-[max(260px,calc(100vh-345px))] min-h-[180px] overflow-y-auto px-3.5 py-2"
        tabIndex={0}
        aria-label="What happened, the newest first"
      >
        {(data ?? []).map((one, index) => (
          <li key={one.id} className="grid grid-cols-[auto_14px_minmax(0,1fr)] gap-x-2 py-1">
            <NewDay at={one.at_s} before={data?.[index - 1]?.at_s ?? now} />
            <time className="font-mono text-[13px] text-ink-2" title={exact(one.at_s)}>
              {clockTime(one.at_s)}
            </time>
            <Dot entry={one} />
            <div className={one.how === "derived" ? "text-ink-2" : ""}>
              <span className="whitespace-pre-wrap break-words">{one.text}</span> <span className="text-[13px] text-ink-2">{one.who}</span>
              {one.ticket ? (
                <Link to={`/desk/tickets/${one.ticket}`} className="ml-1 font-mono text-[13px] underline">
                  {one.ticket}
                </Link>
              ) : null}
              {one.label ? (
                <span className={`ml-1.5 rounded px-1.5 text-[12px] font-semibold ${LOOKS[one.label] ?? ""}`}>{one.label}</span>
              ) : null}
              {one.channel ? <span className="ml-1.5 text-[12px] text-ink-2">only {one.channel}</span> : null}
              {one.is_mine || (one.id > 0 && room.may.lead) ? (
                <span className="ml-1 inline-block">
                  <LineMenu label={`Entry of ${clockTime(one.at_s)}`}>
                    <MenuItem onSelect={() => setTimeout(() => setChanging(one), 0)}>Change…</MenuItem>
                    <MenuItem
                      onSelect={() =>
                        void act(
                          () =>
                            ok(
                              api.DELETE("/api/rooms/{number}/timeline/{entry}", {
                                params: { path: { number: room.id, entry: one.id } },
                              }),
                            ),
                          "It is not in the timeline any more.",
                        )
                      }
                    >
                      Remove
                    </MenuItem>
                  </LineMenu>
                </span>
              ) : null}
              {one.file ? (
                <a className="block text-[13px] underline" href={fileLink(room.id, one.file.id)}>
                  {one.file.name} <span className="text-ink-2">{fileSize(one.file.size)}</span>
                </a>
              ) : null}
            </div>
          </li>
        ))}
        {data?.length === 0 ? <li className="py-4 text-ink-2">Nothing with this label yet.</li> : null}
      </ol>
      {room.may.work || room.may.lead ? (
        <form
          className="flex flex-wrap items-center gap-2 border-t border-line px-3.5 py-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (draft.body.text.trim() && !isBusy) void write();
          }}
        >
          <input
            aria-label="Write what happened"
            placeholder={`Write what happened, ${clockTime(now)}`}
            className={`${inputClass} min-w-[160px] flex-1`}
            value={draft.body.text}
            maxLength={2000}
            onChange={(event) => draft.set({ text: event.target.value })}
          />
          <select
            aria-label="Label"
            className={`${inputClass} !w-auto`}
            value={draft.body.label}
            onChange={(event) => draft.set({ label: event.target.value })}
          >
            <option value="">label</option>
            {room.labels.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
          <Button type="submit" disabled={isBusy || !draft.body.text.trim()}>
            Add
          </Button>
          {draft.body.text.trim() ? (
            <label className="flex w-full items-center gap-2 text-[13px] text-ink-2">
              happened at
              <span className="w-[210px]">
                <WhenInput value={draft.body.at} onChange={(at) => draft.set({ at })} props={{ "aria-label": "Happened at" }} />
              </span>
              empty: now
            </label>
          ) : null}
        </form>
      ) : null}
      {changing ? <ChangeEntry room={room} entry={changing} onClose={() => setChanging(null)} /> : null}
    </section>
  );
}

/** The day, where it is another than that of the line before. */
function NewDay({ at, before }: { at: number; before: number }) {
  if (startOfDay(at) === startOfDay(before)) return null;
  return <span className="col-span-3 border-b border-line pb-0.5 text-[13px] font-semibold text-ink-2">{wholeDay(at)}</span>;
}

function Dot({ entry }: { entry: TimelineEntry }) {
  if (entry.how === "derived" && entry.label) return <span aria-hidden="true" className="mt-[5px] h-[9px] w-[9px] rounded-[2px] bg-sea" />;
  if (entry.how === "derived")
    return <span aria-hidden="true" className="mt-[5px] h-[9px] w-[9px] rounded-full border-[1.5px] border-ink-2" />;
  return <span aria-hidden="true" className="mt-[5px] h-[9px] w-[9px] rounded-full bg-sea" />;
}

function ChangeEntry({ room, entry, onClose }: { room: Room; entry: TimelineEntry; onClose: () => void }) {
  const [text, setText] = useState(entry.text);
  const [label, setLabel] = useState(entry.label);
  const [at, setAt] = useState(localInput(entry.at_s));
  const { act, isBusy, error, fields } = useRoomAct(room.id);
  const save = async () => {
    const isDone = await act(
      () =>
        ok(
          api.PATCH("/api/rooms/{number}/timeline/{entry}", {
            params: { path: { number: room.id, entry: entry.id } },
            body: { text, label: label as "seen", at: new Date(instantOfLocal(at) * 1000).toISOString() },
          }),
        ),
      "",
      true,
    );
    if (isDone) onClose();
  };
  return (
    <Dialog title="Change the entry" isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void save();
        }}
      >
        <Field label="What happened" error={fields.text}>
          {(props) => (
            <textarea {...props} rows={3} className={inputClass} value={text} onChange={(event) => setText(event.target.value)} />
          )}
        </Field>
        <Field label="When" error={fields.at}>
          {(props) => <WhenInput props={props} value={at} onChange={setAt} required />}
        </Field>
        <Field label="Label" error={fields.label}>
          {(props) => (
            <select {...props} className={inputClass} value={label} onChange={(event) => setLabel(event.target.value)}>
              <option value="">none</option>
              {room.labels.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          )}
        </Field>
        {error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        <Foot label="Save" isBusy={isBusy} onClose={onClose} />
      </form>
    </Dialog>
  );
}
