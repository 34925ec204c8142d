import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, ok, sentence } from "../../api/client";
import { useDraft } from "../../parts/hooks";
import { clockTime, instantOfLocal, MINUTE, span, when } from "../../parts/time";
import { Button, ErrorNote, Field, inputClass } from "../../parts/ui";
import { WhenInput } from "../../parts/WhenInput";
import { AudienceDialog } from "./AudienceDialog";
import { timelineKey, useRoomAct } from "./room";
import { type Audience, dueOf, nextAudience, type Room } from "./roomWords";

const EMPTY = { title: "", text: "", at: "", drafted: "", said: [] as number[] };

/** The update that is due next: drafted, edited, looked at, sent – per audience, each on a clock of its own. */
export function UpdatePanel({ room, now }: { room: Room; now: number }) {
  const [chosen, setChosen] = useState<number | null>(null);
  const [editing, setEditing] = useState<Audience | "new" | null>(null);
  const audience = room.audiences.find((one) => one.id === chosen) ?? nextAudience(room.audiences) ?? room.audiences[0];
  const due = audience ? dueOf(audience, now) : null;
  return (
    <section
      aria-labelledby="update-title"
      className={`rounded-card border bg-sheet px-3.5 py-2.5 ${due?.isLate ? "border-rust" : "border-crown"}`}
    >
      <div className="flex flex-wrap items-baseline gap-2">
        <h2 id="update-title" className={`font-bold ${due?.isLate ? "text-rust" : ""}`}>
          {audience ? `Update to ${audience.name}, ${due?.words ?? ""}` : "Updates"}
        </h2>
        {room.may.send ? (
          <button type="button" className="ml-auto min-h-[24px] underline" onClick={() => setEditing("new")}>
            add an audience
          </button>
        ) : null}
      </div>
      <ul className="my-1.5 flex flex-wrap gap-1">
        {room.audiences.map((one) => {
          const stands = dueOf(one, now);
          return (
            <li key={one.id}>
              <button
                type="button"
                aria-pressed={one.id === audience?.id}
                className={`min-h-[26px] rounded border px-1.5 ${one.id === audience?.id ? "border-ink font-bold" : "border-line-2 hover:bg-sea-3"}`}
                onClick={() => setChosen(one.id)}
              >
                {one.name} <span className={stands.isLate ? "font-bold text-rust" : "text-ink-2"}>{stands.words}</span>
              </button>
            </li>
          );
        })}
      </ul>
      {audience ? (
        <>
          <p className="text-[13px] text-ink-2">
            To {audience.people} {audience.people === 1 ? "address" : "addresses"} by mail
            {audience.on_portal ? ", on the portal" : ""}
            {audience.on_status_page ? ", on the status page" : ""}, every {audience.minutes} min.{" "}
            {room.is_drill ? <b>Drill: only the people in the room get it. </b> : null}
            {room.may.send ? (
              <button type="button" className="min-h-[24px] underline" onClick={() => setEditing(audience)}>
                change
              </button>
            ) : null}
          </p>
          {room.may.send ? (
            <Write key={audience.id} room={room} audience={audience} />
          ) : (
            <LastTold room={room} audience={audience} now={now} />
          )}
        </>
      ) : (
        <p className="text-ink-2">The plan names nobody who is told.</p>
      )}
      {editing ? <AudienceDialog room={room} audience={editing === "new" ? null : editing} onClose={() => setEditing(null)} /> : null}
    </section>
  );
}

function LastTold({ room, audience, now }: { room: Room; audience: Audience; now: number }) {
  const last = room.updates.find((one) => one.audience === audience.name && one.sent_s !== null);
  if (!last) return <p className="mt-1">They have not been told anything yet.</p>;
  return (
    <blockquote className="mt-1.5 border-l-[3px] border-line-2 pl-2.5">
      <p className="whitespace-pre-wrap">{last.text}</p>
      <footer className="text-[13px] text-ink-2">
        {last.by}, {when(last.sent_s ?? 0, now)}
      </footer>
    </blockquote>
  );
}

function Write({ room, audience }: { room: Room; audience: Audience }) {
  const draft = useDraft(`room-update-${room.id}-${audience.id}`, EMPTY);
  const [isTimed, setTimed] = useState(false);
  const [isLooking, setLooking] = useState(false);
  const { act, isBusy, error, fields } = useRoomAct(room.id);
  const waiting = room.updates.find((one) => one.audience === audience.name && one.sent_s === null);
  const path = { number: room.id, audience: audience.id };
  const { data: fresh } = useQuery({
    queryKey: [...timelineKey(room.id), "draft", audience.id],
    queryFn: () => ok(api.GET("/api/rooms/{number}/audiences/{audience}/draft", { params: { path } })),
  });
  const { isLoaded, body, set } = draft;
  const take = () => {
    if (!fresh) return;
    set({ title: fresh.title, text: fresh.text, drafted: fresh.text, said: fresh.entries.map((one) => one.id) });
  };
  const isUntouched = body.text === "" || body.text === body.drafted;
  useEffect(() => {
    // Nobody begins with an empty sheet: what is known stands there, until somebody writes on it.
    if (isLoaded && fresh && isUntouched && fresh.text !== body.text) take();
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [isLoaded, fresh?.text]);
  const unsaid = isUntouched ? [] : (fresh?.entries ?? []).filter((one) => !body.said.includes(one.id));
  const putIn = () =>
    set({ text: [body.text.trimEnd(), ...unsaid.map((one) => one.line)].join("\n"), said: [...body.said, ...unsaid.map((one) => one.id)] });
  const send = async () => {
    const isDone = await act(
      () =>
        ok(
          api.POST("/api/rooms/{number}/updates", {
            params: { path: { number: room.id } },
            body: {
              audience: audience.id,
              title: body.title,
              text: body.text,
              at: isTimed && body.at ? new Date(instantOfLocal(body.at) * 1000).toISOString() : null,
            },
          }),
        ),
      isTimed && body.at ? "It goes out at its time." : `Update sent to ${audience.name}.`,
      true,
    );
    if (isDone) {
      draft.clear();
      setTimed(false);
      setLooking(false);
    }
  };
  const missing = (fresh?.unknown ?? []).filter((name) => body.text.includes(`{${name}}`));
  return (
    <form
      className="mt-1.5 flex flex-col gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (!isBusy) void send();
      }}
    >
      {waiting ? (
        <p className="rounded-small border border-sea-2 bg-sea-3 px-2.5 py-1.5">
          Update {waiting.number} goes out at {clockTime(waiting.send_at_s ?? 0)}: “{waiting.text.slice(0, 90)}”{" "}
          <button
            type="button"
            className="underline"
            onClick={() =>
              void act(
                () => ok(api.DELETE("/api/rooms/{number}/updates/{update}", { params: { path: { number: room.id, update: waiting.id } } })),
                "It does not go out.",
              )
            }
          >
            do not send it
          </button>
        </p>
      ) : null}
      <Field label="In a few words" error={fields.title}>
        {(props) => (
          <input
            {...props}
            maxLength={160}
            className={inputClass}
            value={body.title}
            onChange={(event) => draft.set({ title: event.target.value })}
          />
        )}
      </Field>
      {isLooking ? (
        <div className="rounded-small border border-line bg-paper px-3 py-2" aria-label="As it is read">
          <p className="font-bold">
            {room.is_drill ? "Drill – nothing has happened. " : ""}
            {body.title}
          </p>
          <p className="whitespace-pre-wrap break-words">{body.text}</p>
        </div>
      ) : (
        <Field label="What they read" error={fields.text ?? (missing.length > 0 ? `{${missing[0] ?? ""}} stands for nothing.` : undefined)}>
          {(props) => (
            <textarea
              {...props}
              rows={7}
              maxLength={5000}
              className={inputClass}
              value={body.text}
              onChange={(event) => draft.set({ text: event.target.value })}
            />
          )}
        </Field>
      )}
      {unsaid.length > 0 ? (
        <p className="text-[13px] text-ink-2">
          Not yet said to them:{" "}
          {unsaid
            .map((one) => one.line)
            .join("; ")
            .slice(0, 160)}{" "}
          <button type="button" className="min-h-[24px] underline" onClick={putIn}>
            put it in
          </button>
        </p>
      ) : null}
      {isTimed ? (
        <Field label="Goes out" error={fields.at}>
          {(props) => <WhenInput props={props} value={body.at} onChange={(at) => draft.set({ at })} required />}
        </Field>
      ) : null}
      {error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      <div className="flex flex-wrap gap-2">
        <Button onClick={take} disabled={isBusy || !fresh}>
          Draft it afresh
        </Button>
        <Button onClick={() => setLooking(!isLooking)}>{isLooking ? "Write on" : "Look at it"}</Button>
        <Button onClick={() => setTimed(!isTimed)}>{isTimed ? "Send at once" : "Send later…"}</Button>
        <Button type="submit" tone="sea" className="ml-auto" disabled={isBusy}>
          {isTimed ? "Let it go out then" : "Send update"}
        </Button>
      </div>
      {audience.due_s !== null && audience.due_s > 0 ? (
        <p className="text-[13px] text-ink-2">Then again {span(audience.minutes * MINUTE)} later.</p>
      ) : null}
    </form>
  );
}
