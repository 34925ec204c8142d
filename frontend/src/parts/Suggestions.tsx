import { type KeyboardEvent, type RefObject, useRef, useState } from "react";

interface Offer {
  key: string;
  label: string;
  note: string;
  /** What stands in the text instead of what was typed. */
  text: string;
}

/** Offers for what is typed behind a sign: "/" for phrases, "#" for tickets and articles. */
export type Suggest = (sign: "/" | "#", words: string) => Promise<Offer[]>;

const TRIGGER = /(^|[\s(])([/#])([\p{L}\p{N}][\p{L}\p{N} -]{0,30}|)$/u;

export interface Offers {
  isOpen: boolean;
  list: Offer[];
  at: number;
  look: (area: HTMLTextAreaElement) => void;
  onKey: (event: KeyboardEvent) => boolean;
  pick: (offer: Offer) => void;
  close: () => void;
}

export function useSuggestions(
  area: RefObject<HTMLTextAreaElement | null>,
  text: string,
  put: (text: string, caret: number) => void,
  suggest: Suggest | undefined,
): Offers {
  const [list, setList] = useState<Offer[]>([]);
  const [at, setAt] = useState(0);
  const from = useRef(0);
  const asked = useRef(0);
  const close = () => {
    asked.current += 1;
    setList([]);
  };
  const look = (box: HTMLTextAreaElement) => {
    if (!suggest) return;
    const before = box.value.slice(0, box.selectionStart);
    const found = TRIGGER.exec(before);
    if (!found) {
      close();
      return;
    }
    const sign = found[2] as "/" | "#";
    from.current = before.length - (found[3] ?? "").length - 1;
    const mine = ++asked.current;
    suggest(sign, found[3] ?? "")
      .then((offers) => {
        if (mine !== asked.current) return;
        setList(offers);
        setAt(0);
      })
      .catch(() => undefined);
  };
  const pick = (offer: Offer) => {
    const caret = area.current?.selectionStart ?? text.length;
    const next = `${text.slice(0, from.current)}${offer.text}${text.slice(caret)}`;
    close();
    put(next, from.current + offer.text.length);
  };
  const onKey = (event: KeyboardEvent): boolean => {
    if (list.length === 0) return false;
    const keys: Record<string, () => void> = {
      ArrowDown: () => setAt((at + 1) % list.length),
      ArrowUp: () => setAt((at + list.length - 1) % list.length),
      Escape: close,
      Enter: () => {
        const offer = list[at];
        if (offer) pick(offer);
      },
      Tab: () => {
        const offer = list[at];
        if (offer) pick(offer);
      },
    };
    const act = event.ctrlKey || event.metaKey ? undefined : keys[event.key];
    if (!act) return false;
    event.preventDefault();
    act();
    return true;
  };
  return { isOpen: list.length > 0, list, at, look, onKey, pick, close };
}

export function Suggestions({ id, offers }: { id: string; offers: Offers }) {
  return (
    <ul
      id={id}
      role="listbox"
      aria-label="Put in"
      className="absolute bottom-[calc(100%-44px)] left-3 z-30 max-h-64 w-[min(92%,460px)] overflow-y-auto rounded-card border border-line-2 bg-sheet p-1"
    >
      {offers.list.map((offer, index) => (
        <li
          key={offer.key}
          role="option"
          aria-selected={index === offers.at}
          className={`cursor-pointer rounded px-2.5 py-1 ${index === offers.at ? "bg-sea-3" : ""}`}
          onMouseDown={(event) => {
            event.preventDefault();
            offers.pick(offer);
          }}
        >
          {offer.label}
          <span className="block truncate text-[13px] text-ink-2">{offer.note}</span>
        </li>
      ))}
    </ul>
  );
}
