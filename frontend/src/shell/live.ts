import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useSyncExternalStore } from "react";

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

type TouchListener = (tickets: number[] | null) => void;
const touchListeners = new Set<TouchListener>();

/** Called with the tickets that somebody changed; with null when anything may have changed. */
export function onTouched(listener: TouchListener): () => void {
  touchListeners.add(listener);
  return () => touchListeners.delete(listener);
}

export function tellTouched(tickets: number[] | null): void {
  touchListeners.forEach((listener) => listener(tickets));
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

/** News may have been missed: everything that is shown is read again. */
function refreshAll(queries: QueryClient): void {
  tellTouched(null);
  void queries.invalidateQueries({ predicate: (query) => query.queryKey[0] !== "session" });
}

function refresh(queries: QueryClient, tickets: Set<number>): void {
  tellTouched(tickets.size > 0 ? [...tickets] : null);
  for (const key of ["lookout", "figures", "groups", "portal", "mailroom", "notifications"])
    void queries.invalidateQueries({ queryKey: [key] });
  for (const number of tickets) {
    void queries.invalidateQueries({ queryKey: ["ticket", number] });
    void queries.invalidateQueries({ queryKey: ["why", number] });
    void queries.invalidateQueries({ queryKey: ["my-ticket", number] });
  }
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
    let tickets = new Set<number>();

    const flush = () => {
      waiting = undefined;
      refresh(queries, tickets);
      tickets = new Set();
    };
    const connect = () => {
      source = new EventSource(`/api/live?after=${lastHeard.current}`);
      source.addEventListener("gap", (event) => {
        lastHeard.current = Number(event.lastEventId);
        refreshAll(queries);
      });
      source.addEventListener("news", (event) => {
        lastHeard.current = Number(event.lastEventId);
        const news = JSON.parse(event.data as string) as { ticket: number; kind: string };
        if (news.kind === "published") {
          // A new edition: its forms, starters and words are there at once.
          for (const key of ["choices", "fields", "form", "rulebook"]) void queries.invalidateQueries({ queryKey: [key] });
          return;
        }
        tickets.add(news.ticket);
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
    };
  }, [isOn, queries]);
}
