import type { QueryKey } from "@tanstack/react-query";

/** One event as the live stream tells it, and what it is to the one who listens. */
export interface News {
  ticket: number;
  kind: string;
  /** Every kind of event since the last look, where several are told as one. */
  kinds?: string[];
  /** The team that has it now. */
  team: number;
  /** They take part in it, hold it, or are in its team. */
  mine: boolean;
  /** They hold it, or nobody in their teams does: it belongs on their Lookout. */
  waits: boolean;
  /** It is announced to everybody. */
  known: boolean;
  /** Where it stands in a list by due (epoch seconds); null once it has ended. */
  rank: number | null;
  /** Whether it waits for the desk, and not for others. */
  ours: boolean;
}

/** What has happened to a ticket since the last look, as one. */
export function gathered(all: Map<number, News>, one: News): Map<number, News> {
  const before = all.get(one.ticket);
  all.set(one.ticket, {
    ...one,
    kinds: [...new Set([...(before?.kinds ?? []), one.kind])],
    mine: one.mine || (before?.mine ?? false),
    waits: one.waits || (before?.waits ?? false),
    known: one.known || (before?.known ?? false),
  });
  return all;
}

interface LookoutShown {
  ours?: { id: number }[];
  others?: { id: number }[];
  tasks?: { ticket: number }[] | number;
  approvals?: { ticket: number }[];
}

/** Whether a Lookout shows a ticket, in whichever of its parts. */
function shows(data: unknown, ticket: number): boolean {
  const { ours = [], others = [], tasks = [], approvals = [] } = (data ?? {}) as LookoutShown;
  const about = [...(Array.isArray(tasks) ? tasks : []), ...approvals];
  return [...ours, ...others].some((row) => row.id === ticket) || about.some((line) => line.ticket === ticket);
}

/** What gives nobody anything to do that they had not: it concerns only those who see the ticket. */
const ONLY_SAID = new Set(["noted", "replied", "requester wrote", "opened", "promised", "followed", "time logged"]);

/** Whether a Lookout, one's own or a team's, has to be read again after some news. */
export function concernsLookout(key: QueryKey, data: unknown, news: Iterable<News>): boolean {
  const team = key[1];
  for (const one of news) {
    if (shows(data, one.ticket)) return true;
    if (typeof team === "number" ? one.team === team : one.waits || (one.mine && !ONLY_SAID.has(one.kind))) return true;
  }
  return false;
}

interface ListShown {
  rows: { id: number; rank_s: number; move: string }[];
  /** Where the rows that have not been read begin; null when there are none. */
  cursor: string | null;
}

/** Whether a list may have to show a ticket that it does not: what stands behind its last row,
 * by due or in the order of work, is among those that are read when one gets there. */
export function mayCome(one: News | undefined, list: ListShown | undefined, sort: string): boolean {
  const last = list?.rows.at(-1);
  if (!one || one.rank === null || !list?.cursor || !last) return true;
  // As long as its last row waits for us, what waits on others stands behind it.
  if (sort === "turn") return last.move !== "ours" || one.ours;
  return sort !== "due" || one.rank <= last.rank_s;
}

/** Does something once after a while, however often it is asked to meanwhile. */
export class Later {
  private readonly waiting = new Map<string, ReturnType<typeof setTimeout>>();

  /** So many milliseconds from now, and up to as many more: many pages do not ask at once. */
  do(name: string, milliseconds: number, spread: number, act: () => void): void {
    if (this.waiting.has(name)) return;
    const after = milliseconds + Math.random() * spread;
    this.waiting.set(
      name,
      setTimeout(() => {
        this.waiting.delete(name);
        act();
      }, after),
    );
  }

  stop(): void {
    for (const timer of this.waiting.values()) clearTimeout(timer);
    this.waiting.clear();
  }
}
