import type { Row } from "../../api/client";

/** A list as the reader left it, and what has happened to its tickets since. */
export interface Kept {
  rows: Row[];
  cursor: string | null;
  /** Tickets that came to belong to the list since it was read. */
  fresh: number[];
  /** Rows that no longer belong to it, left where they are until the list is read again. */
  gone: ReadonlySet<number>;
  isCapped: boolean;
  readAt: number;
}

export const EMPTY: Kept = { rows: [], cursor: null, fresh: [], gone: new Set(), isCapped: false, readAt: 0 };

interface PageRead {
  rows: Row[];
  next_cursor: string | null;
  is_capped: boolean;
}

/** The list with one more page; a row that moved between two pages stands once. */
export function withPage(list: Kept, page: PageRead, readAt: number): Kept {
  const known = new Set(list.rows.map((row) => row.id));
  return {
    ...list,
    rows: [...list.rows, ...page.rows.filter((row) => !known.has(row.id))],
    cursor: page.next_cursor,
    isCapped: page.is_capped,
    readAt,
  };
}

/** The list with those counted that are at its head now and were not; the same list if none are. */
export function withNewcomers(list: Kept, head: Row[]): Kept {
  const known = new Set([...list.rows.map((row) => row.id), ...list.fresh]);
  const fresh = head.map((row) => row.id).filter((number) => !known.has(number));
  return fresh.length === 0 ? list : { ...list, fresh: [...list.fresh, ...fresh] };
}

/** The list with some tickets as they are now. */
export function touched(list: Kept, rows: Row[], fits: ReadonlySet<number>, asked: number[]): Kept {
  const now = new Map(rows.map((row) => [row.id, row]));
  const shown = new Set(list.rows.map((row) => row.id));
  const gone = new Set(list.gone);
  for (const number of asked) {
    if (shown.has(number) && !fits.has(number)) gone.add(number);
    else gone.delete(number);
  }
  const fresh = new Set(list.fresh.filter((number) => !asked.includes(number)));
  for (const number of fits) if (!shown.has(number)) fresh.add(number);
  // A row stays where it stands until the list is read again, and so in its section.
  const rowNow = (row: Row) => {
    const read = now.get(row.id);
    return read ? { ...read, ...(row.turn ? { turn: row.turn } : {}) } : row;
  };
  return { ...list, rows: list.rows.map(rowNow), gone, fresh: [...fresh] };
}
