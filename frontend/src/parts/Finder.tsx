import { useQuery } from "@tanstack/react-query";
import { useId, useState } from "react";
import { useDebounced } from "./hooks";
import { inputClass } from "./ui";

export interface Found {
  id: number;
  name: string;
  note: string;
}

interface FinderProps {
  /** What the label and its messages give the input. */
  props: { id?: string; "aria-invalid"?: true; "aria-describedby"?: string; "aria-label"?: string };
  /** What is looked for, in one word: names the list and keeps its answers apart. */
  what: string;
  find: (words: string) => Promise<Found[]>;
  nothing: string;
  name: string;
  onName: (name: string) => void;
  onPick: (found: Found) => void;
  takesFocus?: boolean;
  isReadOnly?: boolean;
  hint?: string;
}

/** Something found by a part of its name, by keyboard or mouse. */
export function Finder({
  props,
  what,
  find,
  nothing,
  name,
  onName,
  onPick,
  takesFocus = false,
  isReadOnly = false,
  hint = "Part of the name",
}: FinderProps) {
  const list = useId();
  const late = useDebounced(name.trim(), 180);
  const [isOpen, setOpen] = useState(false);
  const [at, setAt] = useState(0);
  const { data } = useQuery({
    queryKey: ["find", what, late],
    queryFn: () => find(late),
    enabled: isOpen && late.length > 1,
    staleTime: 30_000,
  });
  const pick = (found: Found | undefined) => {
    if (!found) return;
    onPick(found);
    setOpen(false);
  };
  return (
    <div className="relative">
      <input
        {...props}
        autoFocus={takesFocus}
        disabled={isReadOnly}
        role="combobox"
        aria-expanded={isOpen && Boolean(data?.length)}
        aria-controls={list}
        aria-autocomplete="list"
        aria-activedescendant={isOpen && data?.length ? `${list}-${at}` : undefined}
        autoComplete="off"
        placeholder={hint}
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
        <ul
          id={list}
          role="listbox"
          aria-label={`${what} found`}
          className="absolute left-0 right-0 z-10 mt-1 rounded-small border border-line-2 bg-sheet"
        >
          {data.map((found, index) => (
            <li key={found.id} id={`${list}-${index}`} role="option" aria-selected={index === at}>
              <button
                type="button"
                tabIndex={-1}
                className={`w-full px-3 py-1.5 text-left ${index === at ? "bg-sea-3" : ""}`}
                onClick={() => pick(found)}
              >
                {found.name} <span className="text-ink-2">{found.note}</span>
              </button>
            </li>
          ))}
          {data.length === 0 ? (
            <li role="option" aria-selected={false} aria-disabled className="px-3 py-1.5 text-ink-2">
              {nothing}
            </li>
          ) : null}
        </ul>
      ) : null}
    </div>
  );
}
