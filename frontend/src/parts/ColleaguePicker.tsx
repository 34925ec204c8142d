import { useQuery } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api, type Colleague, ok } from "../api/client";
import { useDebounced } from "./hooks";
import { Field, inputClass } from "./ui";

interface ColleaguePickerProps {
  label: string;
  help?: string;
  error?: string | undefined;
  name: string;
  onName: (name: string) => void;
  onPick: (person: Colleague) => void;
  takesFocus?: boolean;
}

/** Colleagues by any part of the name: what a telephone list says, by keyboard or mouse. */
export function ColleaguePicker({ label, help, error, name, onName, onPick, takesFocus = false }: ColleaguePickerProps) {
  const list = useId();
  const late = useDebounced(name.trim(), 180);
  const [isOpen, setOpen] = useState(false);
  const [at, setAt] = useState(0);
  const { data } = useQuery({
    queryKey: ["colleagues", late],
    queryFn: () => ok(api.GET("/api/colleagues", { params: { query: { q: late } } })),
    enabled: isOpen && late.length > 1,
    staleTime: 30_000,
  });
  const pick = (person: Colleague | undefined) => {
    if (!person) return;
    onPick(person);
    setOpen(false);
  };
  return (
    <Field label={label} help={help} error={error}>
      {(props) => (
        <div className="relative">
          <input
            {...props}
            autoFocus={takesFocus}
            role="combobox"
            aria-expanded={isOpen && Boolean(data?.length)}
            aria-controls={list}
            autoComplete="off"
            placeholder="Part of the name"
            className={inputClass}
            value={name}
            onChange={(event) => {
              setAt(0);
              setOpen(true);
              onName(event.target.value);
            }}
            onBlur={() => setTimeout(() => setOpen(false), 150)}
            onKeyDown={(event) => {
              if (!isOpen || !data?.length || event.ctrlKey) return;
              if (event.key === "ArrowDown") setAt(Math.min(at + 1, data.length - 1));
              else if (event.key === "ArrowUp") setAt(Math.max(0, at - 1));
              else if (event.key === "Enter") pick(data[at]);
              else return;
              event.preventDefault();
            }}
          />
          {isOpen && late.length > 1 && data ? (
            <ul id={list} role="listbox" aria-label="Colleagues found" className="absolute left-0 right-0 z-10 mt-1 rounded-small border border-line-2 bg-sheet">
              {data.map((person, index) => (
                <li key={person.id} role="option" aria-selected={index === at}>
                  <button type="button" tabIndex={-1} className={`w-full px-3 py-1.5 text-left ${index === at ? "bg-sea-3" : ""}`} onClick={() => pick(person)}>
                    {person.name}{" "}
                    <span className="text-ink-2">
                      {person.department}, {person.place}
                    </span>
                  </button>
                </li>
              ))}
              {data.length === 0 ? (
                <li role="option" aria-selected={false} aria-disabled className="px-3 py-1.5 text-ink-2">
                  Nobody is called that.
                </li>
              ) : null}
            </ul>
          ) : null}
        </div>
      )}
    </Field>
  );
}
