import { useState } from "react";
import { api, ok, sentence } from "../../api/client";
import { Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { Foot } from "../problems/Causes";
import { useRoomAct } from "./room";
import { type Audience, type Room } from "./roomWords";

const OURS = ["everyone affected", "everyone who reported", "the responders"];

/** Who hears, how often, and where it is shown. */
export function AudienceDialog({ room, audience, onClose }: { room: Room; audience: Audience | null; onClose: () => void }) {
  const [name, setName] = useState(audience?.name ?? "");
  const [minutes, setMinutes] = useState(String(audience?.minutes ?? 30));
  const [to, setTo] = useState(audience?.to ?? ["everyone affected"]);
  const [more, setMore] = useState(to.filter((one) => !OURS.includes(one)).join("\n"));
  const [onPortal, setPortal] = useState(audience?.on_portal ?? false);
  const [onPage, setPage] = useState(audience?.on_status_page ?? false);
  const { act, isBusy, error, fields } = useRoomAct(room.id);
  const save = async () => {
    const body = {
      name,
      minutes: +minutes || 0,
      to: [...to.filter((one) => OURS.includes(one)), ...more.split("\n").map((one) => one.trim())].filter((one) => one !== ""),
      on_portal: onPortal,
      on_status_page: onPage,
    };
    const isDone = await act(
      () =>
        audience
          ? ok(
              api.PATCH("/api/rooms/{number}/audiences/{audience}", { params: { path: { number: room.id, audience: audience.id } }, body }),
            )
          : ok(api.POST("/api/rooms/{number}/audiences", { params: { path: { number: room.id } }, body })),
      "",
      true,
    );
    if (isDone) onClose();
  };
  const isShut = room.is_confidential || room.is_drill;
  return (
    <Dialog title={audience ? `Who ${audience.name} are` : "Add an audience"} isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy) void save();
        }}
      >
        <Field label="Name" error={fields.name}>
          {(props) => (
            <input
              {...props}
              autoFocus
              maxLength={60}
              className={inputClass}
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
          )}
        </Field>
        <Field label="Hear every so many minutes" error={fields.minutes}>
          {(props) => (
            <input
              {...props}
              type="number"
              min={5}
              max={1440}
              required
              className={inputClass}
              value={minutes}
              onChange={(event) => setMinutes(event.target.value)}
            />
          )}
        </Field>
        <fieldset>
          <legend className="font-semibold text-ink-2">To</legend>
          {OURS.map((one) => (
            <label key={one} className="flex min-h-[26px] items-center gap-2">
              <input
                type="checkbox"
                checked={to.includes(one)}
                onChange={(event) => setTo(event.target.checked ? [...to, one] : to.filter((each) => each !== one))}
              />
              {one}
            </label>
          ))}
        </fieldset>
        <Field label="Teams and addresses, one on a line" error={fields.to}>
          {(props) => (
            <textarea {...props} rows={3} className={inputClass} value={more} onChange={(event) => setMore(event.target.value)} />
          )}
        </Field>
        <label className="flex min-h-[26px] items-center gap-2">
          <input type="checkbox" disabled={isShut} checked={onPortal} onChange={(event) => setPortal(event.target.checked)} />
          shown on everybody’s portal
        </label>
        <label className="flex min-h-[26px] items-center gap-2">
          <input type="checkbox" disabled={isShut} checked={onPage} onChange={(event) => setPage(event.target.checked)} />
          shown on the status page, which needs no account
        </label>
        {isShut ? (
          <p className="text-[13px] text-ink-2">
            {room.is_drill ? "A drill is shown to nobody outside it." : "A closed circle is shown to nobody outside it."}
          </p>
        ) : null}
        {error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        <Foot label="Save" isBusy={isBusy} onClose={onClose} />
      </form>
    </Dialog>
  );
}
