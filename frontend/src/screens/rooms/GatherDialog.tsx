import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok, sentence } from "../../api/client";
import { useNow } from "../../parts/hooks";
import { when } from "../../parts/time";
import { Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { Foot } from "../problems/Causes";
import { useRoomAct } from "./room";
import { type Room } from "./roomWords";

/** Incidents that are likely the same, each with why; and by number what is known to be. */
export function GatherDialog({ room, onClose }: { room: Room; onClose: () => void }) {
  const now = useNow();
  const [chosen, setChosen] = useState<Set<number>>(new Set());
  const [left, setLeft] = useState<Set<number>>(new Set());
  const [numbers, setNumbers] = useState("");
  const { act, isBusy, error, fields } = useRoomAct(room.id);
  const { data } = useQuery({
    queryKey: ["room-likely", room.id],
    queryFn: () => ok(api.GET("/api/rooms/{number}/incidents", { params: { path: { number: room.id } } })),
  });
  const typed = [...numbers.matchAll(/\d+/g)].map((found) => +found[0]);
  const add = [...chosen, ...typed];
  const toggle = (set: Set<number>, id: number, keep: (next: Set<number>) => void) => {
    const next = new Set(set);
    if (next.has(id)) next.delete(id);
    else next.add(id);
    keep(next);
  };
  const save = async () => {
    const isDone = await act(
      () => ok(api.POST("/api/rooms/{number}/incidents", { params: { path: { number: room.id } }, body: { add, remove: [...left] } })),
      add.length > 0 ? `${add.length} gathered.` : "",
      true,
    );
    if (isDone) onClose();
  };
  return (
    <Dialog title="Gather incidents" about="They wait for the major incident and are answered together." isOpen isWide onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy) void save();
        }}
      >
        <fieldset>
          <legend className="flex w-full items-baseline gap-2 font-semibold text-ink-2">
            Likely the same
            {data && data.length > 0 ? (
              <button
                type="button"
                className="min-h-[24px] font-normal underline"
                onClick={() => setChosen(new Set(data.map((one) => one.id)))}
              >
                all {data.length}
              </button>
            ) : null}
          </legend>
          <ul className="max-h-[34vh] overflow-y-auto">
            {(data ?? []).map((one) => (
              <li key={one.id}>
                <label className="flex min-h-[28px] items-baseline gap-2 border-b border-line py-0.5">
                  <input type="checkbox" checked={chosen.has(one.id)} onChange={() => toggle(chosen, one.id, setChosen)} />
                  <span className="font-mono text-[13px] text-ink-2">{one.id}</span>
                  <span className="min-w-0 flex-1">
                    {one.title}
                    <span className="block text-[13px] text-ink-2">
                      {one.requester}
                      {one.place ? `, ${one.place}` : ""} · {when(one.opened_s, now)} · {one.why}
                    </span>
                  </span>
                </label>
              </li>
            ))}
          </ul>
          {data?.length === 0 ? <p className="text-ink-2">Nothing open looks like it.</p> : null}
        </fieldset>
        <Field label="Others, by number" error={fields.incidents}>
          {(props) => <input {...props} className={inputClass} value={numbers} onChange={(event) => setNumbers(event.target.value)} />}
        </Field>
        {room.incidents.length > 0 ? (
          <fieldset>
            <legend className="font-semibold text-ink-2">Gathered: tick what is to be let go</legend>
            <ul className="max-h-[22vh] overflow-y-auto">
              {room.incidents.map((one) => (
                <li key={one.id}>
                  <label className="flex min-h-[26px] items-baseline gap-2">
                    <input type="checkbox" checked={left.has(one.id)} onChange={() => toggle(left, one.id, setLeft)} />
                    <span className="font-mono text-[13px] text-ink-2">{one.id}</span> {one.title}
                  </label>
                </li>
              ))}
            </ul>
          </fieldset>
        ) : null}
        {error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        <Foot
          label={`Gather ${add.length}${left.size > 0 ? `, let ${left.size} go` : ""}`}
          isBusy={isBusy || (add.length === 0 && left.size === 0)}
          onClose={onClose}
        />
      </form>
    </Dialog>
  );
}
