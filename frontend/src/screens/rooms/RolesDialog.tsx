import { useState } from "react";
import { api, ok, sentence } from "../../api/client";
import { ColleaguePicker } from "../../parts/ColleaguePicker";
import { when } from "../../parts/time";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { useRoomAct } from "./room";
import { type Room } from "./roomWords";

/** Who has which role, since when, and who had it before; taking one, handing one over. */
export function RolesDialog({ room, now, onClose }: { room: Room; now: number; onClose: () => void }) {
  const { me } = useSession();
  const [role, setRole] = useState("");
  const [name, setName] = useState("");
  const [person, setPerson] = useState<number | null>(null);
  const { act, isBusy, error, fields } = useRoomAct(room.id);
  const roles = [...new Set([...room.wanted_roles, ...room.roles.map((one) => one.role)])];
  const give = (which: string, to: number | null) =>
    act(
      () => ok(api.POST("/api/rooms/{number}/roles", { params: { path: { number: room.id } }, body: { role: which, person: to } })),
      "",
      true,
    );
  const leave = (which: string) =>
    act(() => ok(api.POST("/api/rooms/{number}/roles/leave", { params: { path: { number: room.id } }, body: { role: which } })), "", true);
  return (
    <Dialog title="Roles" about="Everybody sees who has which; a role is handed over, not shared." isOpen onClose={onClose}>
      <ul className="flex flex-col gap-2">
        {roles.map((one) => {
          const held = room.roles.find((each) => each.role === one);
          return (
            <li key={one} className="flex flex-wrap items-baseline gap-x-2">
              <b className="min-w-[110px]">{one}</b>
              <span className="min-w-0 flex-1">
                {held ? (
                  <>
                    {held.person.name} <span className="text-[13px] text-ink-2">since {when(held.from_s, now)}</span>
                    {held.before.map((each) => (
                      <span key={each.from_s} className="block text-[13px] text-ink-2">
                        before: {each.name}, {when(each.from_s, now)} – {when(each.to_s, now)}
                      </span>
                    ))}
                  </>
                ) : (
                  <span className="text-rust">not taken</span>
                )}
              </span>
              {held?.person.id !== me?.id ? (
                <Button disabled={isBusy} aria-label={`Take it: ${one}`} onClick={() => void give(one, null)}>
                  Take it
                </Button>
              ) : one !== "lead" ? (
                <Button disabled={isBusy} aria-label={`Give it up: ${one}`} onClick={() => void leave(one)}>
                  Give it up
                </Button>
              ) : null}
            </li>
          );
        })}
      </ul>
      <form
        className="mt-4 flex flex-col gap-3 border-t border-line pt-3"
        onSubmit={(event) => {
          event.preventDefault();
          void give(role, person).then((isDone) => {
            if (!isDone) return;
            setRole("");
            setName("");
            setPerson(null);
          });
        }}
      >
        <Field label="Give a role" error={fields.role} help="One of the plan, or another word.">
          {(props) => (
            <>
              <input
                {...props}
                list="room-roles"
                maxLength={40}
                className={inputClass}
                value={role}
                onChange={(event) => setRole(event.target.value)}
              />
              <datalist id="room-roles">
                {roles.map((one) => (
                  <option key={one} value={one} />
                ))}
              </datalist>
            </>
          )}
        </Field>
        <ColleaguePicker
          label="To"
          error={fields.person}
          name={name}
          onName={(next) => {
            setName(next);
            setPerson(null);
          }}
          onPick={(found) => {
            setPerson(found.id);
            setName(found.name);
          }}
        />
        {error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        <span className="flex justify-end gap-2">
          <Button onClick={onClose}>Close</Button>
          <Button type="submit" tone="sea" disabled={isBusy || !role.trim() || person === null}>
            Give it
          </Button>
        </span>
      </form>
    </Dialog>
  );
}
