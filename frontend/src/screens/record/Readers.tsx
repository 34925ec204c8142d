import { useState } from "react";
import type { Ticket } from "../../api/client";
import { PersonPicker } from "../../parts/PersonPicker";
import { inputClass } from "../../parts/ui";

export interface Chosen {
  requester: boolean;
  /** Followers that are left out this time. */
  without: number[];
  /** Approvers, who get no reply unless they are chosen. */
  also: number[];
  people: { id: number; name: string }[];
  outside: string[];
}

function isReader(one: Ticket["followers"][number], chosen: Chosen): boolean {
  return one.only_reads ? chosen.also.includes(one.id) : !chosen.without.includes(one.id);
}

export const EVERYBODY: Chosen = { requester: true, without: [], also: [], people: [], outside: [] };

/** The body of a reply: whom it goes to, as the server wants it. */
export function readersBody(ticket: Ticket, chosen: Chosen) {
  const followers = ticket.followers.filter((one) => isReader(one, chosen)).map((one) => one.id);
  const isUsual = chosen.without.length === 0 && chosen.also.length === 0;
  return {
    to_requester: chosen.requester,
    followers: isUsual ? null : followers,
    people: chosen.people.map((person) => person.id),
    outside: chosen.outside,
  };
}

const ADDRESS = /^[^\s@]+@[^\s@]+\.[^\s@]{2,}$/;

interface ReadersProps {
  ticket: Ticket;
  chosen: Chosen;
  onChange: (chosen: Chosen) => void;
}

/** Whom a reply goes to: shown as a line, changed in place. */
export function Readers({ ticket, chosen, onChange }: ReadersProps) {
  const [isOpen, setOpen] = useState(false);
  const [typed, setTyped] = useState("");
  const [address, setAddress] = useState("");
  const [wrong, setWrong] = useState("");
  const followers = ticket.followers.filter((one) => one.id !== ticket.facts.requester.id);
  const names = [
    ...(chosen.requester ? [ticket.facts.requester.name] : []),
    ...followers.filter((one) => isReader(one, chosen)).map((one) => one.name ?? ""),
    ...chosen.people.map((person) => person.name),
    ...chosen.outside,
  ];
  const addOutside = () => {
    const clean = address.trim();
    if (!clean) return setWrong("");
    // What is no address stays in the field, and says so.
    if (!ADDRESS.test(clean)) return setWrong(`“${clean}” is not an e-mail address, so it is not added yet.`);
    if (!chosen.outside.includes(clean)) onChange({ ...chosen, outside: [...chosen.outside, clean] });
    setAddress("");
    return setWrong("");
  };
  return (
    <div className="mb-1.5 text-[13px] text-ink-2">
      <button type="button" className="why min-h-[24px] text-left" aria-expanded={isOpen} onClick={() => setOpen(!isOpen)}>
        To {names.length > 0 ? names.join(", ") : "nobody yet"}
      </button>
      {chosen.outside.length > 0 ? <b className="ml-2 font-semibold text-rust">goes to external addresses</b> : null}
      {isOpen ? (
        <div className="mt-1 flex flex-col gap-1.5 rounded-small border border-line px-2.5 py-2">
          <div className="flex flex-wrap gap-x-4 gap-y-1">
            <label className="flex items-center gap-1.5">
              <input
                type="checkbox"
                checked={chosen.requester}
                onChange={(event) => onChange({ ...chosen, requester: event.target.checked })}
              />
              {ticket.facts.requester.name}, who asked
            </label>
            {followers.map((one) => (
              <label key={one.id} className="flex items-center gap-1.5">
                <input
                  type="checkbox"
                  checked={isReader(one, chosen)}
                  onChange={(event) => {
                    const list = one.only_reads ? "also" : "without";
                    const isIn = event.target.checked === one.only_reads;
                    const others = chosen[list].filter((id) => id !== one.id);
                    onChange({ ...chosen, [list]: isIn ? [...others, one.id] : others });
                  }}
                />
                {one.name}, {one.only_reads ? "approver" : "follows"}
              </label>
            ))}
            {chosen.people.map((person) => (
              <label key={person.id} className="flex items-center gap-1.5">
                <input
                  type="checkbox"
                  checked
                  onChange={() => onChange({ ...chosen, people: chosen.people.filter((one) => one.id !== person.id) })}
                />
                {person.name}, copy
              </label>
            ))}
            {chosen.outside.map((one) => (
              <label key={one} className="flex items-center gap-1.5">
                <input
                  type="checkbox"
                  checked
                  onChange={() => onChange({ ...chosen, outside: chosen.outside.filter((other) => other !== one) })}
                />
                {one}, outside
              </label>
            ))}
          </div>
          <div className="grid grid-cols-2 gap-2 max-[600px]:grid-cols-1">
            <PersonPicker
              label="Also to"
              name={typed}
              onName={setTyped}
              takesFocus={false}
              onPick={(person) => {
                setTyped("");
                if (!chosen.people.some((one) => one.id === person.id))
                  onChange({ ...chosen, people: [...chosen.people, { id: person.id, name: person.name }] });
              }}
            />
            <label className="flex flex-col gap-1 font-semibold">
              Somebody outside
              <input
                type="email"
                placeholder="name@example.org, then Enter"
                className={`${inputClass} font-normal`}
                value={address}
                onChange={(event) => {
                  setAddress(event.target.value);
                  setWrong("");
                }}
                onKeyDown={(event) => {
                  if (event.key !== "Enter") return;
                  event.preventDefault();
                  addOutside();
                }}
                onBlur={addOutside}
                aria-invalid={wrong !== "" || undefined}
              />
              {wrong ? (
                <span role="alert" className="font-normal text-rust">
                  {wrong}
                </span>
              ) : null}
            </label>
          </div>
        </div>
      ) : null}
    </div>
  );
}
