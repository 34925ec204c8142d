import { useEffect, useState } from "react";
import { api, ok, sentence } from "../../api/client";
import { useDraft } from "../../parts/hooks";
import { when } from "../../parts/time";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { Foot } from "../problems/Causes";
import { useRoomAct } from "./room";
import { type Room } from "./roomWords";

const EMPTY = { text: "", to: "" };

/** How things stand, drafted from the room, edited, sent with a PDF, and kept. */
export function ReportDialog({ room, now, onClose }: { room: Room; now: number; onClose: () => void }) {
  const draft = useDraft(`room-report-${room.id}`, EMPTY);
  const { act, isBusy, error, fields } = useRoomAct(room.id);
  const [isDrafting, setDrafting] = useState(false);
  const begin = async () => {
    setDrafting(true);
    await act(async () => {
      const { text } = await ok(api.GET("/api/rooms/{number}/reports", { params: { path: { number: room.id } } }));
      draft.set({ text });
      return null;
    });
    setDrafting(false);
  };
  const { isLoaded, body } = draft;
  useEffect(() => {
    if (isLoaded && body.text === "") void begin();
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [isLoaded]);
  const send = async () => {
    const to = body.to
      .split(/[\n,;]/)
      .map((one) => one.trim())
      .filter((one) => one !== "");
    const isDone = await act(
      () => ok(api.POST("/api/rooms/{number}/reports", { params: { path: { number: room.id } }, body: { text: body.text, to } })),
      "The report is on its way, with a PDF.",
      true,
    );
    if (isDone) {
      draft.clear();
      onClose();
    }
  };
  return (
    <Dialog title="Situation report" about="Only what all of the room may read is drafted." isOpen isWide onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy) void send();
        }}
      >
        <Field label="The report" error={fields.text}>
          {(props) => (
            <textarea
              {...props}
              rows={16}
              className={`${inputClass} font-mono text-[13px]`}
              value={body.text}
              onChange={(event) => draft.set({ text: event.target.value })}
            />
          )}
        </Field>
        <Field label="To which addresses" error={fields.to} help="One on a line, also outside.">
          {(props) => (
            <textarea
              {...props}
              rows={2}
              className={inputClass}
              value={body.to}
              onChange={(event) => draft.set({ to: event.target.value })}
            />
          )}
        </Field>
        {room.reports.length > 0 ? (
          <p className="text-[13px] text-ink-2">
            Sent before:{" "}
            {room.reports.map((one) => (
              <a key={one.id} className="mr-2 underline" href={`/api/rooms/${room.id}/reports/${one.id}`}>
                {when(one.at_s, now)}, {one.by}, to {one.to}
              </a>
            ))}
          </p>
        ) : null}
        {error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        <Foot label="Send with PDF" isBusy={isBusy || isDrafting} onClose={onClose} isInView>
          <Button onClick={() => void begin()} disabled={isBusy}>
            Draft it afresh
          </Button>
        </Foot>
      </form>
    </Dialog>
  );
}
