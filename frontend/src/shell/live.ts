import { type QueryClient, type QueryKey, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useSyncExternalStore } from "react";
import { concernsLookout, gathered, Later, type News } from "./news";

/** Tickets that have just been changed by somebody, for one glow each. */
const fresh = new Map<number, number>();
const listeners = new Set<() => void>();
const GLOW_MS = 1800;
let stamp = 0;

function noteFresh(ticket: number): void {
  fresh.set(ticket, Date.now());
  stamp += 1;
  listeners.forEach((listener) => listener());
  setTimeout(() => {
    if (Date.now() - (fresh.get(ticket) ?? 0) >= GLOW_MS) fresh.delete(ticket);
    stamp += 1;
    listeners.forEach((listener) => listener());
  }, GLOW_MS + 50);
}

type TouchListener = (tickets: number[] | null, news?: ReadonlyMap<number, News>) => void;
const touchListeners = new Set<TouchListener>();

/** Called with the tickets that somebody changed; with null when anything may have changed. */
export function onTouched(listener: TouchListener): () => void {
  touchListeners.add(listener);
  return () => touchListeners.delete(listener);
}

export function tellTouched(tickets: number[] | null, news?: ReadonlyMap<number, News>): void {
  touchListeners.forEach((listener) => listener(tickets, news));
}

export function useFresh(): Map<number, number> {
  useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => stamp,
  );
  return fresh;
}

function readAgain(queries: QueryClient, queryKey: QueryKey, exact = false): void {
  void queries.invalidateQueries({ queryKey, exact });
}

/** News may have been missed: everything that is shown is read again. */
function refreshAll(queries: QueryClient): void {
  tellTouched(null);
  for (const query of queries.getQueryCache().getAll()) if (query.queryKey[0] !== "session") readAgain(queries, query.queryKey, true);
}

/** Read again what is looked at; behind another window or tab, once it comes to the front. */
function readAgainWhenSeen(queries: QueryClient, queryKey: string[]): void {
  if (!document.hidden) {
    readAgain(queries, queryKey);
    return;
  }
  const name = queryKey.join();
  if (unseen.has(name)) return;
  unseen.add(name);
  const onSeen = () => {
    if (document.hidden) return;
    document.removeEventListener("visibilitychange", onSeen);
    unseen.delete(name);
    readAgain(queries, queryKey);
  };
  document.addEventListener("visibilitychange", onSeen);
}

const unseen = new Set<string>();

/** Read again what some news are about, soon where it is looked at and later where it is counted. */
function refresh(queries: QueryClient, news: Map<number, News>, later: Later): void {
  const numbers = [...news.keys()].filter((number) => number > 0);
  const all = [...news.values()];
  tellTouched(numbers, news);
  for (const number of numbers) for (const key of ["ticket", "why", "my-ticket"]) readAgain(queries, [key, number]);
  for (const query of queries.getQueryCache().findAll({ queryKey: ["lookout"], type: "active" }))
    if (query.state.data === undefined || concernsLookout(query.queryKey, query.state.data, all))
      later.do(query.queryHash, 0, 400, () => readAgain(queries, query.queryKey, true));
  if (all.some((one) => one.mine)) later.do("notifications", 0, 400, () => readAgain(queries, ["notifications"]));
  if (all.some((one) => one.mine || one.known)) later.do("portal", 0, 400, () => readAgain(queries, ["portal"]));
  // What is counted costs more to read and less to be late with; nobody counts what nobody sees.
  for (const key of ["figures", "groups", "mailroom"]) later.do(key, 1_500, 5_000, () => readAgainWhenSeen(queries, [key]));
}

const OWN_EVENTS = new Set(["opened", "promised"]);

/**
 * Follow what others do: lists and open records read again within two seconds.
 *
 * `newsAfter` is the newest event when the page began to read: the stream tells what came
 * after it, so that nothing is lost between reading and listening, nor when a line is cut.
 */
export function useLive(isOn: boolean, newsAfter: number): void {
  const queries = useQueryClient();
  const lastHeard = useRef(newsAfter);
  useEffect(() => {
    if (!isOn) return undefined;
    let source: EventSource | undefined;
    let retry: ReturnType<typeof setTimeout> | undefined;
    let waiting: ReturnType<typeof setTimeout> | undefined;
    let heard = new Map<number, News>();
    const later = new Later();

    const flush = () => {
      waiting = undefined;
      refresh(queries, heard, later);
      heard = new Map();
    };
    const connect = () => {
      source = new EventSource(`/api/live?after=${lastHeard.current}`);
      source.addEventListener("gap", (event) => {
        lastHeard.current = Number(event.lastEventId);
        refreshAll(queries);
      });
      source.addEventListener("news", (event) => {
        lastHeard.current = Number(event.lastEventId);
        const news = JSON.parse(event.data as string) as News;
        if (news.kind === "published") {
          // A new edition: its forms, starters and words are there at once.
          for (const key of ["choices", "fields", "form", "rulebook"]) readAgain(queries, [key]);
          return;
        }
        gathered(heard, news);
        if (!OWN_EVENTS.has(news.kind)) noteFresh(news.ticket);
        waiting ??= setTimeout(flush, 120);
      });
      source.onerror = () => {
        if (source?.readyState !== EventSource.CLOSED) return;
        clearTimeout(retry);
        retry = setTimeout(connect, 5000);
      };
    };
    connect();
    return () => {
      source?.close();
      clearTimeout(retry);
      clearTimeout(waiting);
      later.stop();
    };
  }, [isOn, queries]);
}
