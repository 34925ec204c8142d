import { useState } from "react";
import { api, ok, sentence } from "../../api/client";
import { ColleaguePicker } from "../../parts/ColleaguePicker";
import { Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { Foot } from "../problems/Causes";
import { type Channel, useRoomAct } from "./room";
import { type Room } from "./roomWords";

interface Named {
  id: number;
  name: string;
}

/** People by name, one after another, each taken off again by a click. */
function PickSeveral({
  label,
  chosen,
  onChange,
  error,
}: {
  label: string;
  chosen: Named[];
  onChange: (people: Named[]) => void;
  error?: string | undefined;
}) {
  const [name, setName] = useState("");
  return (
    <div>
      <ColleaguePicker
        label={label}
        error={error}
        name={name}
        onName={setName}
        onPick={(person) => {
          if (!chosen.some((one) => one.id === person.id)) onChange([...chosen, { id: person.id, name: person.name }]);
          setName("");
        }}
      />
      <ul className="mt-1 flex flex-wrap gap-1">
        {chosen.map((one) => (
          <li key={one.id}>
            <button
              type="button"
              aria-label={`Remove: ${one.name}`}
              className="min-h-[26px] rounded border border-line-2 px-1.5 hover:bg-sea-3"
              onClick={() => onChange(chosen.filter((each) => each.id !== one.id))}
            >
              {one.name} <span aria-hidden="true">×</span>
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** A further channel, on the spot: for all in the room, or for its members alone. */
export function OpenChannel({ room, onClose }: { room: Room; onClose: () => void }) {
  const [name, setName] = useState("");
  const [isClosed, setClosed] = useState(false);
  const [people, setPeople] = useState<Named[]>([]);
  const { act, isBusy, error, fields } = useRoomAct(room.id);
  const open = async () => {
    const isDone = await act(
      () =>
        ok(
          api.POST("/api/rooms/{number}/channels", {
            params: { path: { number: room.id } },
            body: { name, is_closed: isClosed, people: people.map((one) => one.id), teams: [] },
          }),
        ),
      "The channel is open.",
      true,
    );
    if (isDone) onClose();
  };
  return (
    <Dialog title="Open a channel" isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy) void open();
        }}
      >
        <Field label="Its name" error={fields.name}>
          {(props) => (
            <input
              {...props}
              autoFocus
              maxLength={40}
              className={inputClass}
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
          )}
        </Field>
        <label className="flex gap-2">
          <input type="checkbox" checked={isClosed} onChange={(event) => setClosed(event.target.checked)} />
          <span>
            For its members alone
            <span className="block text-[13px] text-ink-2">Nobody else reads it or knows its name, whoever leads included.</span>
          </span>
        </label>
        <PickSeveral label="Who is in it, beside you" chosen={people} onChange={setPeople} />
        {error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        <Foot label="Open it" isBusy={isBusy} onClose={onClose} />
      </form>
    </Dialog>
  );
}

/** Ask people into a channel, or show somebody out. */
export function AskIn({ room, channel, onClose }: { room: Room; channel: Channel; onClose: () => void }) {
  const [people, setPeople] = useState<Named[]>([]);
  const { act, isBusy, error, fields } = useRoomAct(room.id);
  const path = { number: room.id, channel: channel.id };
  const ask = async () => {
    const isDone = await act(
      () =>
        ok(api.POST("/api/rooms/{number}/channels/{channel}/people", { params: { path }, body: { people: people.map((one) => one.id) } })),
      "They hear of it.",
      true,
    );
    if (isDone) onClose();
  };
  return (
    <Dialog
      title={`Ask into ${channel.name}`}
      about={channel.is_closed ? "They read all that was said in it so far." : "They hear of it, and find the room in the mail."}
      isOpen
      onClose={onClose}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy) void ask();
        }}
      >
        <PickSeveral label="Who" chosen={people} onChange={setPeople} error={fields.people} />
        {channel.by_name.length > 0 ? (
          <div>
            <p className="font-semibold text-ink-2">In it by name</p>
            <ul>
              {channel.people
                .filter((one) => channel.by_name.includes(one.id))
                .map((one) => (
                  <li key={one.id} className="flex items-baseline gap-2">
                    {one.name}
                    <button
                      type="button"
                      aria-label={`Show ${one.name} out`}
                      className="min-h-[24px] underline"
                      disabled={isBusy}
                      onClick={() =>
                        void act(
                          () =>
                            ok(
                              api.DELETE("/api/rooms/{number}/channels/{channel}/people/{person}", {
                                params: { path: { ...path, person: one.id } },
                              }),
                            ),
                          `${one.name} is not in it any more.`,
                          true,
                        )
                      }
                    >
                      show out
                    </button>
                  </li>
                ))}
            </ul>
          </div>
        ) : null}
        {error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        <Foot label="Ask in" isBusy={isBusy} onClose={onClose} />
      </form>
    </Dialog>
  );
}
