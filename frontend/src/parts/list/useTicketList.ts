import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { NavigationType, useNavigationType } from "react-router";
import { api, ok } from "../../api/client";
import { onForget, ownership } from "../belongings";
import { onTouched } from "../../shell/live";
import { Later, mayCome, type News } from "../../shell/news";
import { heedServerTime } from "../hooks";
import { EMPTY, type Kept, touched, withNewcomers, withPage } from "./kept";

export interface ListAsked {
  filter: string;
  sort: string;
  columns: string;
}

export interface TicketList extends Kept {
  isPending: boolean;
  isReading: boolean;
  error: unknown;
  hasMore: boolean;
  readMore: () => void;
  readAgain: () => void;
}

const MOST_KEPT = 8;
const TOUCH_AT_ONCE = 150;
const kept = new Map<string, Kept>();

function keep(key: string, list: Kept): void {
  kept.delete(key);
  kept.set(key, list);
  const oldest = kept.keys().next().value;
  if (kept.size > MOST_KEPT && oldest !== undefined) kept.delete(oldest);
}

onForget(() => kept.clear());

/**
 * A list read fifty rows at a time. What others change is changed in place; what comes to
 * belong to the list is counted and offered, so nothing moves under the reader's eyes.
 */
export function useTicketList(asked: ListAsked, isOn = true): TicketList {
  const key = `${asked.filter}\n${asked.sort}\n${asked.columns}`;
  const [, draw] = useState(0);
  const [error, setError] = useState<unknown>(null);
  const reading = useRef("");
  const arrived = useRef(NavigationType.Pop as NavigationType);
  arrived.current = useNavigationType();
  const list = kept.get(key) ?? EMPTY;
  const askAgain = useRef(() => undefined as void);

  const read = useCallback(
    async (cursor: string | null) => {
      const mark = `${key}\n${cursor ?? ""}`;
      if (reading.current === mark) return;
      reading.current = mark;
      setError(null);
      draw((count) => count + 1);
      const whose = ownership();
      try {
        const page = await ok(api.GET("/api/tickets", { params: { query: { ...asked, cursor: cursor ?? "" } } }));
        if (whose !== ownership()) return;
        heedServerTime(page.now_s);
        keep(key, withPage(cursor === null ? EMPTY : (kept.get(key) ?? EMPTY), page, Date.now()));
      } catch (problem) {
        setError(problem);
      } finally {
        if (reading.current === mark) reading.current = "";
        draw((count) => count + 1);
        askAgain.current();
      }
    },
    // `asked` is what `key` says.
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [key],
  );

  /** Ask for the rows that were touched, one question after the other: an answer that comes
   * late must not undo a newer one, and what is on its way may have been read before. */
  // Each list has its own: what one waits for, another must not take.
  // eslint-disable-next-line react-hooks/exhaustive-deps
  const asking = useMemo(() => ({ waiting: new Set<number>(), isOn: false }), [key]);
  const ask = useCallback(async () => {
    if (asking.isOn || reading.current !== "") return;
    asking.isOn = true;
    try {
      while (asking.waiting.size > 0) {
        const ids = [...asking.waiting].slice(0, TOUCH_AT_ONCE);
        ids.forEach((id) => asking.waiting.delete(id));
        const whose = ownership();
        const answer = await ok(
          api.GET("/api/tickets/touched", {
            params: { query: { filter: asked.filter, columns: asked.columns, ids: ids.join(",") } },
          }),
        ).catch(() => null);
        const now = kept.get(key);
        if (answer && now && whose === ownership()) {
          heedServerTime(answer.now_s);
          keep(key, touched(now, answer.rows, new Set(answer.fits), ids));
        }
      }
    } finally {
      asking.isOn = false;
    }
    draw((count) => count + 1);
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key]);
  askAgain.current = () => void ask();

  const later = useRef(new Later());
  const touch = useCallback(
    (touched: number[], news?: ReadonlyMap<number, News>) => {
      const list = kept.get(key);
      const shown = new Set(list?.rows.map((row) => row.id));
      const numbers = touched.filter((number) => shown.has(number) || mayCome(news?.get(number), list, asked.sort));
      if (numbers.length === 0) return;
      numbers.forEach((number) => asking.waiting.add(number));
      // A row that is shown changes at once; what may have come to belong, with others like it.
      if (numbers.some((number) => shown.has(number))) void ask();
      else later.current.do("newcomers", 300, 1200, () => void ask());
    },
    [key, ask, asking, asked.sort],
  );

  /** What came to the head of the list while the reader was elsewhere. */
  const lookForNew = useCallback(async () => {
    const whose = ownership();
    const page = await ok(api.GET("/api/tickets", { params: { query: { ...asked, cursor: "" } } })).catch(() => null);
    const now = kept.get(key);
    if (!page || !now || whose !== ownership()) return;
    const after = withNewcomers(now, page.rows);
    if (after === now) return;
    keep(key, after);
    draw((count) => count + 1);
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key]);

  useEffect(() => {
    if (!isOn) return undefined;
    const known = kept.get(key);
    // Back finds the rows as they were left, changed in place; who comes anew finds it read anew.
    if (!known || known.rows.length === 0 || arrived.current !== NavigationType.Pop) void read(null);
    else if (Date.now() - known.readAt > 1500) {
      touch(known.rows.slice(0, 400).map((row) => row.id));
      void lookForNew();
    }
    const delayed = later.current;
    const forget = onTouched((numbers, news) => (numbers === null ? void read(null) : touch(numbers, news)));
    return () => {
      forget();
      delayed.stop();
    };
  }, [key, isOn, read, touch, lookForNew]);

  return {
    ...list,
    isPending: list.readAt === 0 && error === null,
    isReading: reading.current !== "" && reading.current.startsWith(`${key}\n`),
    error,
    hasMore: list.cursor !== null,
    readMore: () => {
      if (list.cursor !== null) void read(list.cursor);
    },
    readAgain: () => void read(null),
  };
}
