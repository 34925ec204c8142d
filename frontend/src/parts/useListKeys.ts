import { useNavigate } from "react-router";
import type { Row } from "../api/client";
import { useKeys } from "./hooks";

interface ListKeys {
  rows: Row[];
  open: number | null;
  setOpen: (number: number | null) => void;
  cursor: number | null;
  setCursor: (number: number) => void;
}

/** ↑ ↓ move, Space opens the side reader, Enter the ticket. */
export function useListKeys({ rows, open, setOpen, cursor, setCursor }: ListKeys): void {
  const navigate = useNavigate();
  const index = rows.findIndex((row) => row.id === (cursor ?? open));
  const move = (step: number) => {
    const next = rows[Math.min(rows.length - 1, Math.max(0, index + step))];
    if (!next) return;
    setCursor(next.id);
    document.getElementById(`row-${next.id}`)?.scrollIntoView({ block: "nearest" });
    if (open !== null) setOpen(next.id);
  };
  useKeys({
    ArrowDown: () => move(1),
    ArrowUp: () => move(-1),
    j: () => move(1),
    k: () => move(-1),
    Enter: (event) => {
      const on = document.activeElement;
      if (on instanceof HTMLAnchorElement || on instanceof HTMLButtonElement) {
        on.click();
        return;
      }
      const row = rows[index];
      if (row && event) void navigate(`/desk/tickets/${row.id}`);
    },
    " ": () => {
      const on = document.activeElement;
      if (on instanceof HTMLButtonElement) {
        on.click();
        return;
      }
      const row = rows[index] ?? rows[0];
      if (row) setOpen(open === row.id ? null : row.id);
    },
    Escape: () => setOpen(null),
  });
}
