import { useState } from "react";
import { useNavigate } from "react-router";
import { type EntryAbout, useAllEntries } from "./data";
import { listed } from "./entries";
import { smallInput } from "./parts";
import { roomLink } from "./rooms";

const MOST = 12;

/** The entries that have the words in their name or in what they are. */
export function foundIn(all: EntryAbout[] | undefined, words: string): EntryAbout[] {
  if (!all || words.trim() === "") return [];
  return listed(all, words, { nameOf: (entry) => entry.name, wordsOf: (entry) => entry.one }).flatMap((group) => group.entries);
}

/** Finds an entry of any section by its name. */
export function FindEntry() {
  const [words, setWords] = useState("");
  const [at, setAt] = useState(0);
  const all = useAllEntries(words !== "");
  const navigate = useNavigate();
  const found = foundIn(all, words);
  const shown = found.slice(0, MOST);
  const go = (index: number) => {
    const entry = shown[index];
    if (!entry) return;
    setWords("");
    void navigate(roomLink(entry.section, entry.key));
  };
  return (
    <div className="relative">
      <input
        role="combobox"
        aria-label="Find an entry of the rulebook"
        aria-expanded={shown.length > 0}
        aria-controls="entries-found"
        aria-activedescendant={shown.length > 0 ? `entry-found-${at}` : undefined}
        placeholder="Find an entry"
        className={`${smallInput} w-full py-1`}
        value={words}
        onChange={(event) => {
          setWords(event.target.value);
          setAt(0);
        }}
        onBlur={() => setTimeout(() => setWords(""), 150)}
        onKeyDown={(event) => {
          if (event.key === "ArrowDown") setAt(Math.min(shown.length - 1, at + 1));
          else if (event.key === "ArrowUp") setAt(Math.max(0, at - 1));
          else if (event.key === "Enter") go(at);
          else if (event.key === "Escape") setWords("");
          else return;
          event.preventDefault();
        }}
      />
      {words.trim() ? (
        <ul
          id="entries-found"
          role="listbox"
          aria-label="Entries"
          className="absolute left-0 top-full z-30 mt-1 w-[340px] rounded-card border border-line-2 bg-sheet py-1 shadow-lg"
        >
          {shown.map((entry, index) => (
            <li
              key={`${entry.section}/${entry.key}`}
              id={`entry-found-${index}`}
              role="option"
              aria-selected={index === at}
              className={`flex cursor-pointer justify-between gap-3 px-3 py-1 ${index === at ? "bg-sea-3" : ""}`}
              onMouseDown={() => go(index)}
            >
              <span className="truncate">{entry.name}</span>
              <span className="whitespace-nowrap text-[13px] text-ink-2">{entry.one}</span>
            </li>
          ))}
          {found.length > MOST ? (
            <li className="px-3 py-1 text-[13px] text-ink-2">{found.length - MOST} more: write another word</li>
          ) : null}
          {all && shown.length === 0 ? <li className="px-3 py-1 text-ink-2">No entry has these words.</li> : null}
        </ul>
      ) : null}
    </div>
  );
}
