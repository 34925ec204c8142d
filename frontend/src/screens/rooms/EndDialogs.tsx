import { useState } from "react";
import { api, ok, sentence } from "../../api/client";
import { instantOfLocal, localInput } from "../../parts/time";
import { serverNow } from "../../parts/hooks";
import { Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { WhenInput } from "../../parts/WhenInput";
import { Foot } from "../problems/Causes";
import { useRoomAct } from "./room";
import { type Room } from "./roomWords";

/** It is over: why, and since when all works again. */
export function StandDown({ room, onClose }: { room: Room; onClose: () => void }) {
  const [why, setWhy] = useState("");
  const [restored, setRestored] = useState(localInput(room.restored_s ?? serverNow()));
  const { act, isBusy, error, fields } = useRoomAct(room.id);
  const open = room.incidents.filter((one) => one.is_open).length;
  const waits = room.updates.some((one) => one.sent_s === null);
  const end = async () => {
    const isDone = await act(
      () =>
        ok(
          api.POST("/api/tickets/{number}/stand-down", {
            params: { path: { number: room.id } },
            body: { why, restored_at: restored ? new Date(instantOfLocal(restored) * 1000).toISOString() : null },
          }),
        ),
      `${room.call_sign} is stood down.`,
      true,
    );
    if (isDone) onClose();
  };
  return (
    <Dialog
      title={`Stand ${room.call_sign} down`}
      about="Updates end, everybody in the room hears of it, and the review begins."
      isOpen
      onClose={onClose}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy) void end();
        }}
      >
        {open > 0 ? (
          <p className="rounded-small border border-crown bg-crown-2 px-3 py-2">
            {open} {open === 1 ? "incident is" : "incidents are"} still open: answer or resolve them together, before or after.
          </p>
        ) : null}
        {waits ? (
          <p className="rounded-small border border-crown bg-crown-2 px-3 py-2">
            An update that waits for its time does not go out any more.
          </p>
        ) : null}
        <Field label="Why it is over" error={fields.why}>
          {(props) => (
            <textarea {...props} autoFocus rows={2} className={inputClass} value={why} onChange={(event) => setWhy(event.target.value)} />
          )}
        </Field>
        <Field label="All works again since" error={fields.restored_at}>
          {(props) => <WhenInput props={props} value={restored} onChange={setRestored} required />}
        </Field>
        {error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        <Foot label="Stand down" isBusy={isBusy} onClose={onClose} />
      </form>
    </Dialog>
  );
}

/** It is back, or was never over. */
export function DeclareAgain({ room, onClose }: { room: Room; onClose: () => void }) {
  const [why, setWhy] = useState("");
  const { act, isBusy, error, fields } = useRoomAct(room.id);
  const again = async () => {
    const isDone = await act(
      () => ok(api.POST("/api/tickets/{number}/declare-again", { params: { path: { number: room.id } }, body: { why } })),
      `${room.call_sign} is declared again.`,
      true,
    );
    if (isDone) onClose();
  };
  return (
    <Dialog title={`Declare ${room.call_sign} again`} about="The same room; updates are due again from now." isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy) void again();
        }}
      >
        <Field label="Why" error={fields.why}>
          {(props) => (
            <textarea {...props} autoFocus rows={2} className={inputClass} value={why} onChange={(event) => setWhy(event.target.value)} />
          )}
        </Field>
        {error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        <Foot label="Declare again" isBusy={isBusy} onClose={onClose} />
      </form>
    </Dialog>
  );
}
