import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useLayoutEffect, useRef, useState } from "react";
import { useNow } from "../../parts/hooks";
import { clockTime, exact, wholeDay } from "../../parts/time";
import { onTouched } from "../../shell/live";
import type { Dashboard } from "./board";

interface WallProps {
  dashboard: Dashboard;
  /** What it is narrowed to, in words. */
  note: string;
  onClose: () => void;
  children: ReactNode;
}

const NOT_MORE_OFTEN_MS = 15_000;
const OLD_AFTER_S = 180;
const LEAST_ZOOM = 0.7;
const MOST_ZOOM = 1.6;
const HEADER = 88;
const MOST_STEPS = 14;
const AGAIN_MS = 60_000;

/** A dashboard that hangs on a wall: large, current by itself, and never quite at one place. */
export function Wall({ dashboard, note, onClose, children }: WallProps) {
  const queries = useQueryClient();
  const [readAt, setReadAt] = useState(() => Date.now());
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined;
    const readAgain = () => {
      timer ??= setTimeout(() => {
        timer = undefined;
        void queries.invalidateQueries({ queryKey: ["reports", "table"] });
      }, NOT_MORE_OFTEN_MS);
    };
    const stop = onTouched(readAgain);
    const heard = queries.getQueryCache().subscribe((event) => {
      if (event.type === "updated" && event.action.type === "success" && (event.query.queryKey as unknown[])[1] === "table")
        setReadAt(Date.now());
    });
    return () => {
      clearTimeout(timer);
      stop();
      heard();
    };
  }, [queries]);
  useEffect(() => {
    const keys = (event: KeyboardEvent) => {
      if (event.key === "Escape") onClose();
    };
    window.addEventListener("keydown", keys);
    return () => window.removeEventListener("keydown", keys);
  }, [onClose]);
  return (
    <WallFrame name={dashboard.name} note={note} readAt={readAt} onClose={onClose}>
      {children}
    </WallFrame>
  );
}

interface FrameProps {
  name: string;
  note: string;
  /** When it was read last, as the browser's clock has it. */
  readAt: number;
  onClose?: () => void;
  children: ReactNode;
}

/** The wall itself: what is on it is as large as fits, says when it is old, and burns nothing in. */
export function WallFrame({ name, note, readAt, onClose, children }: FrameProps) {
  const now = useNow();
  const [content, zoom] = useFittingZoom();
  // Nothing burns in: all of it moves by some pixels from minute to minute.
  const minute = Math.floor(now / 60);
  const shift = { transform: `translate(${((minute % 5) - 2) * 2}px, ${((Math.floor(minute / 5) % 5) - 2) * 2}px)` };
  const isOld = Date.now() - readAt > OLD_AFTER_S * 1000;
  return (
    <div role="region" aria-label={`${name}, on the wall`} className="fixed inset-0 z-50 overflow-y-auto overflow-x-hidden bg-paper">
      <header className="flex flex-wrap items-center gap-4 bg-bar px-5 py-2 text-white">
        <h1 className="text-[26px] font-bold">{name}</h1>
        <span className="text-[18px] opacity-85">{note}</span>
        {isOld ? (
          <span role="status" className="rounded-card bg-rust-2 px-3 font-bold text-rust">
            not current since {exact(Math.floor(readAt / 1000))}
          </span>
        ) : null}
        <span className="ml-auto text-[18px] opacity-85">{wholeDay(now)}</span>
        <span className="font-mono text-[30px] font-bold">{clockTime(now)}</span>
        {onClose ? (
          <button type="button" className="min-h-[30px] text-[14px] underline" onClick={onClose}>
            leave the wall
          </button>
        ) : null}
      </header>
      <div style={shift}>
        <div ref={content} style={{ zoom }} className="px-4 pb-4">
          {children}
        </div>
      </div>
    </div>
  );
}

/** As large as all of it fits on the screen, within what can be read and what looks well. */
function useFittingZoom(): [React.RefObject<HTMLDivElement | null>, number] {
  const content = useRef<HTMLDivElement>(null);
  const [zoom, setZoom] = useState(1);
  const known = useRef({ zoom: 1, steps: 0 });
  useLayoutEffect(() => {
    const element = content.current;
    if (!element) return undefined;
    const fit = () => {
      const high = element.getBoundingClientRect().height;
      if (high < 40 || window.innerWidth < 900 || known.current.steps >= MOST_STEPS) return;
      // What is larger is narrower, and so higher still: it is found by steps, and then left.
      const wanted = (known.current.zoom * (window.innerHeight - HEADER)) / high;
      const next = Math.round(Math.min(MOST_ZOOM, Math.max(LEAST_ZOOM, (wanted + known.current.zoom) / 2)) * 100) / 100;
      known.current.steps += 1;
      if (Math.abs(next - known.current.zoom) < 0.02) return;
      known.current.zoom = next;
      setZoom(next);
    };
    const again = () => {
      known.current.steps = 0;
      fit();
    };
    const observer = new ResizeObserver(fit);
    observer.observe(element);
    window.addEventListener("resize", again);
    const timer = setInterval(again, AGAIN_MS);
    return () => {
      observer.disconnect();
      window.removeEventListener("resize", again);
      clearInterval(timer);
    };
  }, []);
  return [content, zoom];
}
