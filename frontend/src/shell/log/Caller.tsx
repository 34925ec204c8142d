import { Link } from "react-router";
import type { FoundPerson, Row } from "../../api/client";
import { findThings } from "../../parts/ColleaguePicker";
import { Finder } from "../../parts/Finder";
import { Initials } from "../../parts/Initials";
import { Number as TicketNumber } from "../../parts/marks";
import { when } from "../../parts/time";
import { Field } from "../../parts/ui";
import type { Call } from "./call";

interface CallerProps {
  call: Call;
  found: FoundPerson | undefined;
  now: number;
  error: string | undefined;
  set: (change: Partial<Call>) => void;
  onClose: () => void;
}

/** Who is calling: their number, their devices to choose from, and what they have open. */
export function Caller({ call, found, now, error, set, onClose }: CallerProps) {
  if (!found) return <p className="text-ink-2">Choose who is calling: their devices and what they have open show here.</p>;
  const open = found.open_tickets as unknown as Row[];
  const isOther = call.ci !== "" && !found.devices.some((device) => String(device.id) === call.ci);
  return (
    <>
      <p className="flex items-center gap-2">
        <Initials name={found.name} size={34} />
        <span className="min-w-0">
          <b className="block truncate">{found.name}</b>
          <span className="block text-[13px] text-ink-2">
            {found.job}, {found.place}
          </span>
        </span>
      </p>
      <p className="mt-1 text-[13px] text-ink-2">
        Phone <span className="text-ink">{found.phone || "not known"}</span>
      </p>
      <fieldset className="mt-3">
        <legend className="font-bold">Which device</legend>
        {found.devices.map((device) => (
          <label
            key={device.id}
            className={`mt-1 flex items-start gap-2 rounded-small border px-2 py-1 ${String(device.id) === call.ci ? "border-sea bg-sea-3" : "border-line"}`}
          >
            <input
              type="radio"
              name="device"
              className="mt-1"
              checked={String(device.id) === call.ci}
              onChange={() => set({ ci: String(device.id), ciName: device.name })}
            />
            <span className="min-w-0">
              <span className="block font-semibold">{device.name}</span>
            </span>
          </label>
        ))}
        <label className="mt-1 flex items-center gap-2 px-2 py-1">
          <input type="radio" name="device" checked={call.ci === ""} onChange={() => set({ ci: "", ciName: "" })} />
          None, or not known
        </label>
        <Field label="Another device" error={error}>
          {(props) => (
            <Finder
              props={props}
              what="Things"
              find={findThings}
              nothing="Nothing is called that."
              isReadOnly={false}
              name={isOther || call.ci === "" ? call.ciName : ""}
              onName={(ciName) => set({ ciName, ci: "" })}
              onPick={(thing) => set({ ci: String(thing.id), ciName: thing.name })}
            />
          )}
        </Field>
      </fieldset>
      <h3 className="mt-3 font-bold">Open for {found.name}</h3>
      {open.length === 0 ? <p className="text-ink-2">Nothing.</p> : null}
      <ul className="flex flex-col gap-1.5">
        {open.map((row) => (
          <li key={row.id}>
            <TicketNumber row={row} />
            <Link to={`/desk/tickets/${row.id}`} onClick={onClose} className="block font-semibold hover:underline">
              {row.title}
            </Link>
            <span className="text-[13px] text-ink-2">
              {row.state} · {row.holder ?? row.team} · {when(row.opened_s, now)}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}
