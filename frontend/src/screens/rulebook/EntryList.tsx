import { useMemo, useState } from "react";
import { Button } from "../../parts/ui";
import { type Entry, useEdit } from "./data";
import { keyFrom } from "./edits";
import { type Listed, listed } from "./entries";
import { smallInput } from "./parts";

interface EntryListProps<T extends Entry & Listed> {
  all: T[];
  chosen: string | undefined;
  onOpen: (key: string) => void;
  onNew: () => void;
  /** One of them, in a word, and the section that they stand in. */
  what: string;
  section: string;
}

/** From so many on, a list is searched. */
const MANY = 9;

/** The entries of a section: searched, by group and name, by keys too; one can be copied. */
export function EntryList<T extends Entry & Listed>({ all, chosen, onOpen, onNew, what, section }: EntryListProps<T>) {
  const edit = useEdit();
  const [words, setWords] = useState("");
  const groups = useMemo(() => listed(all, words), [all, words]);
  const flat = groups.flatMap((group) => group.entries);
  const current = all.find((one) => one.key === chosen);
  const move = (step: number) => {
    const at = flat.findIndex((one) => one.key === chosen);
    const next = flat[Math.min(flat.length - 1, Math.max(0, at < 0 ? 0 : at + step))];
    if (next) onOpen(next.key);
  };
  const copy = () => {
    if (!current) return;
    const name = `${current.name} (copy)`;
    const key = keyFrom(
      name,
      all.map((one) => one.key),
    );
    edit.mutate({ section, key, before: null, after: { ...current, key, name } }, { onSuccess: () => onOpen(key) });
  };
  return (
    <div className="mb-3">
      <div className="mb-1.5 flex flex-wrap items-center gap-2">
        {all.length >= MANY ? (
          <>
            <input
              aria-label={`Search each ${what}`}
              placeholder={`Search ${all.length}`}
              className={`${smallInput} w-56`}
              value={words}
              onChange={(event) => setWords(event.target.value)}
              onKeyDown={(event) => {
                if (event.key === "ArrowDown") move(1);
                else if (event.key === "ArrowUp") move(-1);
                else if (event.key === "Enter" && flat[0]) onOpen(flat[0].key);
                else if (event.key === "Escape" && words) setWords("");
                else return;
                event.preventDefault();
              }}
            />
            <span role="status" className="text-[13px] text-ink-2">
              {words ? `${flat.length} of ${all.length}` : ""}
            </span>
          </>
        ) : null}
        <span className="ml-auto flex gap-2">
          {current ? (
            <Button tone="quiet" onClick={copy}>
              Copy “{current.name}”
            </Button>
          ) : null}
          <Button onClick={onNew}>New {what}</Button>
        </span>
      </div>
      <nav
        aria-label={`Each ${what}`}
        className={all.length >= MANY ? "max-h-[212px] overflow-y-auto rounded-small border border-line bg-sheet px-2 py-1" : ""}
      >
        {groups.map((group) => (
          <div key={group.name} className="py-0.5">
            {group.name ? <p className="text-[13px] text-ink-2">{group.name}</p> : null}
            <div className="flex flex-wrap gap-1.5 py-0.5">
              {group.entries.map((one) => (
                <button
                  key={one.key}
                  type="button"
                  aria-current={one.key === chosen}
                  className={`rounded-small border px-2 py-0.5 ${one.key === chosen ? "border-sea bg-sea-3 font-bold" : "border-line bg-sheet"} ${one.is_on === false ? "text-ink-2 line-through" : ""}`}
                  onClick={() => onOpen(one.key)}
                >
                  {one.name}
                </button>
              ))}
            </div>
          </div>
        ))}
        {flat.length === 0 && words ? <p className="py-1 text-ink-2">None has these words.</p> : null}
      </nav>
    </div>
  );
}
