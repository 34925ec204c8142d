import { useCallback, useRef, useState } from "react";
import type { Row } from "../../api/client";

export interface Chosen {
  chosen: ReadonlySet<number>;
  choose: (number: number, isRange: boolean) => void;
  chooseAll: (numbers: number[]) => void;
  none: () => void;
}

/** The tickets chosen in a list; with Shift, everything between the last two. */
export function useChosen(rows: Row[]): Chosen {
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const last = useRef<number | null>(null);
  const latest = useRef(rows);
  latest.current = rows;
  const choose = useCallback((number: number, isRange: boolean) => {
    setChosen((before) => {
      const next = new Set(before);
      const from = latest.current.findIndex((row) => row.id === last.current);
      const to = latest.current.findIndex((row) => row.id === number);
      if (isRange && from >= 0 && to >= 0) {
        for (const row of latest.current.slice(Math.min(from, to), Math.max(from, to) + 1)) next.add(row.id);
      } else if (next.has(number)) next.delete(number);
      else next.add(number);
      return next;
    });
    last.current = number;
  }, []);
  return {
    chosen,
    choose,
    chooseAll: useCallback((numbers: number[]) => setChosen(new Set(numbers)), []),
    none: useCallback(() => setChosen(new Set()), []),
  };
}
