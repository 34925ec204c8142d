import { useRef } from "react";
import { useNavigate } from "react-router";
import type { Row } from "../api/client";
import { useKeys } from "./hooks";

// The letters of acts, as on the page of a record.
const ACT_KEYS = "arnwhepzb";

interface ListKeys {
  rows: Row[];
  open: number | null;
  setOpen: (number: number | null) => void;
  cursor: number | null;
  setCursor: (number: number) => void;
  /** Given when several rows can be chosen. */
  choose?: (number: number, isRange: boolean) => void;
  none?: () => void;
  /** A letter was pressed that stands for an act: on the marked row, else the one that is read. */
  onAct?: (number: number, key: string) => void;
  onMenu?: (number: number, at: { x: number; y: number }) => void;
  /** Whether the list is what the keys are for. */
  isOn?: boolean;
}

/** ↑ ↓ move, Space opens the side reader, Enter the ticket, X chooses, M shows what can be done. */
export function useListKeys({ rows, open, setOpen, cursor, setCursor, choose, none, onMenu, onAct, isOn = true }: ListKeys): void {
  const navigate = useNavigate();
  // Keys come faster than the page is drawn: what they moved to counts at once.
  const place = useRef<number | null>(null);
  place.current = cursor ?? open;
  const at = () => rows.findIndex((row) => row.id === place.current);
  const move = (step: number, isFar = false) => {
    const next = rows[Math.min(rows.length - 1, Math.max(0, at() + step))];
    if (!next) return;
    place.current = next.id;
    setCursor(next.id);
    document.getElementById(`row-${next.id}`)?.scrollIntoView({ block: "nearest" });
    if (isFar) choose?.(next.id, true);
    if (open !== null) setOpen(next.id);
  };
  useKeys(
    {
      ArrowDown: (event) => move(1, event.shiftKey),
      ArrowUp: (event) => move(-1, event.shiftKey),
      j: () => move(1),
      k: () => move(-1),
      Enter: (event) => {
        const on = document.activeElement;
        if (on instanceof HTMLAnchorElement || on instanceof HTMLButtonElement) {
          on.click();
          return;
        }
        const row = rows[at()];
        if (row && event) void navigate(`/desk/tickets/${row.id}`);
      },
      " ": () => {
        const on = document.activeElement;
        if (on instanceof HTMLButtonElement) {
          on.click();
          return;
        }
        const row = rows[at()] ?? rows[0];
        if (row) setOpen(open === row.id ? null : row.id);
      },
      x: () => {
        const row = rows[at()] ?? rows[0];
        if (!row || !choose) return;
        place.current = row.id;
        setCursor(row.id);
        choose(row.id, false);
      },
      ...Object.fromEntries(
        // The side reader has the same letters, for what it shows.
        (open === null ? [...ACT_KEYS] : []).map((key) => [
          key,
          () => {
            const row = rows[at()];
            if (row) onAct?.(row.id, key);
          },
        ]),
      ),
      m: () => {
        const row = rows[at()];
        const box = row ? document.getElementById(`row-${row.id}`)?.getBoundingClientRect() : undefined;
        if (row && box) onMenu?.(row.id, { x: box.left + 120, y: box.bottom - 6 });
      },
      Escape: () => {
        if (open === null) none?.();
        setOpen(null);
      },
    },
    isOn,
  );
}
