import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, type FoundPerson, ok } from "../api/client";
import { useDebounced } from "./hooks";
import { Field, inputClass } from "./ui";

interface PersonPickerProps {
  label: string;
  name: string;
  error?: string | undefined;
  onName: (name: string) => void;
  onPick: (person: FoundPerson) => void;
  /** Whether it takes the focus when it appears; a dialog wants that, a page does not. */
  takesFocus?: boolean;
}

/** People by any part of their name, with what they have open. */
export function usePeople(words: string) {
  return useQuery({
    queryKey: ["people", words],
    queryFn: () => ok(api.GET("/api/people", { params: { query: { q: words } } })),
    enabled: words.length > 1,
    staleTime: 30_000,
  });
}

/** Finds a person by any part of the name, by keyboard or mouse. */
export function PersonPicker({ label, name, error, onName, onPick, takesFocus = true }: PersonPickerProps) {
  const late = useDebounced(name.trim(), 180);
  const [isOpen, setOpen] = useState(false);
  const [at, setAt] = useState(0);
  const closing = useRef<ReturnType<typeof setTimeout> | undefined>(undefined);
  const { data, isFetching } = usePeople(late);
  useEffect(() => setAt(0), [late]);
  const pick = (person: FoundPerson | undefined) => {
    if (!person) return;
    onPick(person);
    setOpen(false);
  };
  return (
    <Field label={label} error={error}>
      {(props) => (
        <div className="relative">
          <input
            {...props}
            autoFocus={takesFocus}
            role="combobox"
            aria-expanded={isOpen}
            aria-controls="people-found"
            autoComplete="off"
            placeholder="Any part of the name"
            className={inputClass}
            value={name}
            onChange={(event) => {
              onName(event.target.value);
              setOpen(true);
            }}
            onFocus={() => clearTimeout(closing.current)}
            onBlur={() => {
              closing.current = setTimeout(() => setOpen(false), 150);
            }}
            onKeyDown={(event) => {
              if (event.key === "ArrowDown") setAt(Math.min(at + 1, (data?.length ?? 1) - 1));
              else if (event.key === "ArrowUp") setAt(Math.max(0, at - 1));
              else if (event.key === "Enter" && isOpen) pick(data?.[at]);
              else return;
              event.preventDefault();
            }}
          />
          {isOpen && late.length > 1 ? (
            <ul
              id="people-found"
              role="listbox"
              aria-label="People found"
              className="absolute left-0 right-0 z-10 mt-1 rounded-small border border-line-2 bg-sheet"
            >
              {data?.map((person, index) => (
                <li key={person.id} role="option" aria-selected={index === at}>
                  <button
                    type="button"
                    tabIndex={-1}
                    className={`w-full px-2.5 py-1.5 text-left ${index === at ? "bg-sea-3" : ""}`}
                    onMouseDown={(event) => event.preventDefault()}
                    onClick={() => pick(person)}
                  >
                    <b>{person.name}</b>{" "}
                    <span className="text-ink-2">
                      {person.job}, {person.place} · phone {person.phone}
                    </span>
                  </button>
                </li>
              ))}
              {data?.length === 0 && !isFetching ? <li className="px-2.5 py-1.5 text-ink-2">Nobody is called that.</li> : null}
            </ul>
          ) : null}
        </div>
      )}
    </Field>
  );
}
