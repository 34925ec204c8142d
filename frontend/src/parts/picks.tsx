import { Popover } from "radix-ui";
import { type ReactNode, useState } from "react";
import { inputClass } from "./ui";

/** A word that a sentence does not have yet. */
const additionClass = "border-b-2 border-dashed border-line-2 text-ink-2 hover:text-ink";
export const wordClass = "border-b-2 border-crown font-bold hover:bg-crown-2/60";
export const cardClass =
  "z-40 max-h-[60vh] w-[300px] overflow-y-auto rounded-card border border-line-2 bg-sheet p-3 text-[14px] leading-normal text-ink";

interface Option {
  key: string;
  name: string;
}

export function options(names: string[]): Option[] {
  return names.map((name) => ({ key: name, name }));
}

interface PickProps {
  label: string;
  options: Option[];
  placeholder?: string;
}

/** A word in a sentence that opens the choices it was made from. */
export function PickOne({
  label,
  options: list,
  value,
  onChange,
  placeholder = "choose…",
  isAddition = false,
}: PickProps & { value: string; onChange: (value: string) => void; isAddition?: boolean }) {
  const [isOpen, setOpen] = useState(false);
  const chosen = list.find((option) => option.key === value);
  return (
    <Popover.Root open={isOpen} onOpenChange={setOpen}>
      <Popover.Trigger
        className={isAddition ? additionClass : wordClass}
        aria-label={`${label}: ${chosen?.name ?? (value || placeholder)}`}
      >
        {chosen?.name ?? (value || placeholder)}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={4} collisionPadding={12} className={cardClass} aria-label={label}>
          <Searched list={list} placeholder={label}>
            {(option) => (
              <button
                type="button"
                className={`w-full rounded px-2 py-1 text-left hover:bg-sea-3 ${option.key === value ? "font-bold" : ""}`}
                onClick={() => {
                  onChange(option.key);
                  setOpen(false);
                }}
              >
                {option.name}
              </button>
            )}
          </Searched>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Several words of a sentence: a list to tick. */
export function PickMany({
  label,
  options: list,
  value,
  onChange,
  placeholder = "nobody",
  joiner = "and",
  onSearch,
}: PickProps & {
  value: string[];
  onChange: (value: string[]) => void;
  joiner?: string;
  /** Told what is searched for, where more can be found than is listed. */
  onSearch?: (words: string) => void;
}) {
  const names = value.map((key) => list.find((option) => option.key === key)?.name ?? key);
  const said = names.length > 1 ? `${names.slice(0, -1).join(", ")} ${joiner} ${names.at(-1) ?? ""}` : (names[0] ?? placeholder);
  const all = [...list, ...value.filter((key) => !list.some((option) => option.key === key)).map((key) => ({ key, name: key }))];
  return (
    <Popover.Root>
      <Popover.Trigger className={wordClass} aria-label={`${label}: ${said}`}>
        {said}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" sideOffset={4} collisionPadding={12} className={cardClass} aria-label={label}>
          <Searched list={all} placeholder={label} onSearch={onSearch}>
            {(option) => (
              <label className="flex items-center gap-2 rounded px-1 py-0.5 hover:bg-sea-3">
                <input
                  type="checkbox"
                  checked={value.includes(option.key)}
                  onChange={() => onChange(value.includes(option.key) ? value.filter((key) => key !== option.key) : [...value, option.key])}
                />
                {option.name}
              </label>
            )}
          </Searched>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

interface SearchedProps {
  list: Option[];
  placeholder: string;
  onSearch?: ((words: string) => void) | undefined;
  children: (option: Option) => ReactNode;
}

function Searched({ list, placeholder, onSearch, children }: SearchedProps) {
  const [search, setSearch] = useState("");
  const shown = list.filter((option) => option.name.toLowerCase().includes(search.toLowerCase())).slice(0, 120);
  return (
    <>
      {list.length > 8 ? (
        <input
          autoFocus
          aria-label={`Search: ${placeholder}`}
          placeholder="Search…"
          className={`${inputClass} mb-1.5`}
          value={search}
          onChange={(event) => {
            setSearch(event.target.value);
            onSearch?.(event.target.value);
          }}
        />
      ) : null}
      <ul>
        {shown.map((option) => (
          <li key={option.key}>{children(option)}</li>
        ))}
      </ul>
      {shown.length === 0 ? <p className="text-ink-2">Nothing is called that.</p> : null}
    </>
  );
}
