import { useCallback, useEffect, useLayoutEffect, useRef, useState, useSyncExternalStore } from "react";
import { api, ok } from "../api/client";
import { draftKey, isLeaving, noteUnsaved } from "./belongings";

let offset = 0;

/** The server's clock is the one that counts; each answer carries it. */
export function heedServerTime(now: number): void {
  const known = offset;
  offset = now - Date.now() / 1000;
  // A clock that was wrong by more than a moment is put right at once.
  if (Math.abs(offset - known) > 2) {
    shownNow = serverNow();
    tickers.forEach((tick) => tick());
  }
}

export function serverNow(): number {
  return Math.round(Date.now() / 1000 + offset);
}

const tickers = new Set<() => void>();
let ticking: ReturnType<typeof setInterval> | undefined;
let shownNow = serverNow();

function subscribe(listener: () => void): () => void {
  tickers.add(listener);
  if (!ticking) shownNow = serverNow();
  ticking ??= setInterval(() => {
    shownNow = serverNow();
    tickers.forEach((tick) => tick());
  }, 10_000);
  return () => {
    tickers.delete(listener);
  };
}

/** Now, in epoch seconds; moves on by itself every ten seconds. */
export function useNow(): number {
  useSyncExternalStore(subscribe, () => shownNow);
  return serverNow();
}

/** Now to ten seconds: what a long list is drawn by, so that its rows are not drawn each second. */
export function useCoarseNow(): number {
  return useSyncExternalStore(subscribe, () => shownNow);
}

export function useWidth<T extends HTMLElement>(): [React.RefObject<T | null>, number] {
  const ref = useRef<T>(null);
  const [width, setWidth] = useState(0);
  useLayoutEffect(() => {
    const element = ref.current;
    if (!element) return undefined;
    setWidth(element.getBoundingClientRect().width);
    const observer = new ResizeObserver(([entry]) => setWidth(entry?.contentRect.width ?? 0));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [ref, width];
}

export function isTyping(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false;
  return target.isContentEditable || ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName);
}

/** Whether a dialog or a menu lies over the page: its keys are its own. */
export function isCovered(): boolean {
  return document.querySelector("[role=dialog],[role=menu]") !== null;
}

/** Single keys that act; none fires while typing or while a dialog or menu is open. */
export function useKeys(keys: Record<string, (event: KeyboardEvent) => void>, enabled = true): void {
  const latest = useRef(keys);
  latest.current = keys;
  useEffect(() => {
    if (!enabled) return undefined;
    const onKey = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
      if (isTyping(event.target) || isCovered()) return;
      const act = latest.current[event.key.length === 1 ? event.key.toLowerCase() : event.key];
      if (!act) return;
      event.preventDefault();
      act(event);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [enabled]);
}

export type DraftBody = Record<string, unknown>;

interface KeptDraft<T extends DraftBody> {
  body: T;
  set: (change: Partial<T>) => void;
  clear: () => void;
  keptAt: number | null;
  isLoaded: boolean;
}

/**
 * A draft that outlives Back, a reload and a session: in this browser at once, on the
 * server within a second.
 */
export function useDraft<T extends DraftBody>(where: string, empty: T): KeptDraft<T> {
  const local = draftKey(where);
  const [body, setBody] = useState<T>(() => readLocal(local, empty));
  const [keptAt, setKeptAt] = useState<number | null>(null);
  const [isLoaded, setLoaded] = useState(false);
  const timer = useRef<ReturnType<typeof setTimeout> | undefined>(undefined);
  const latest = useRef(body);
  const touched = useRef(false);
  const sending = useRef<Promise<unknown> | null>(null);

  useEffect(() => {
    let isGone = false;
    const here = readLocal(local, empty);
    latest.current = here;
    setBody(here);
    touched.current = false;
    ok(api.GET("/api/drafts/{place}", { params: { path: { place: where } } }))
      .then((draft) => {
        if (isGone) return;
        const isEmptyHere = JSON.stringify(latest.current) === JSON.stringify(empty);
        if (!touched.current && isEmptyHere && Object.keys(draft.body).length > 0) {
          latest.current = { ...empty, ...(draft.body as T) };
          setBody(latest.current);
        }
        setKeptAt(draft.kept_s ?? null);
      })
      .catch(() => undefined)
      .finally(() => {
        if (!isGone) setLoaded(true);
      });
    return () => {
      isGone = true;
    };
    // `empty` is a constant shape; a new place is a new draft.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [where]);

  const keep = useCallback(
    (value: T, isAtOnce = false) => {
      clearTimeout(timer.current);
      const save = () => {
        clearTimeout(timer.current);
        noteUnsaved(where, null);
        const send = () =>
          ok(
            api.PUT("/api/drafts/{place}", {
              params: { path: { place: where } },
              body: { body: value },
            }),
          )
            .then((draft) => setKeptAt(draft.kept_s ?? null))
            .catch(() => undefined);
        // One after the other, so that an older text never lands last.
        const sent = sending.current && !isLeaving() ? sending.current.then(send) : send();
        sending.current = sent;
        return sent.finally(() => {
          if (sending.current === sent) sending.current = null;
        });
      };
      noteUnsaved(where, save);
      if (isAtOnce) void save();
      else timer.current = setTimeout(() => void save(), 700);
    },
    [where],
  );

  const set = useCallback(
    (change: Partial<T>) => {
      touched.current = true;
      latest.current = { ...latest.current, ...change };
      setBody(latest.current);
      localStorage.setItem(local, JSON.stringify(latest.current));
      keep(latest.current);
    },
    [keep, local],
  );

  const clear = useCallback(() => {
    latest.current = empty;
    setBody(empty);
    localStorage.removeItem(local);
    keep(Object.fromEntries(Object.keys(empty).map((name) => [name, ""])) as T, true);
    setKeptAt(null);
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [keep, local]);

  return { body, set, clear, keptAt, isLoaded };
}

function readLocal<T extends DraftBody>(key: string, empty: T): T {
  try {
    return { ...empty, ...(JSON.parse(localStorage.getItem(key) ?? "{}") as Partial<T>) };
  } catch {
    return empty;
  }
}

export function useDebounced<T>(value: T, milliseconds: number): T {
  const [late, setLate] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setLate(value), milliseconds);
    return () => clearTimeout(timer);
  }, [value, milliseconds]);
  return late;
}
