import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useState } from "react";
import { useNow } from "../../parts/hooks";
import { exact } from "../../parts/time";
import { onTouched } from "../../shell/live";
import type { Dashboard } from "./board";

interface WallProps {
  dashboard: Dashboard;
  team: string;
  onClose: () => void;
  children: ReactNode;
}

const NOT_MORE_OFTEN_MS = 15_000;
const OLD_AFTER_S = 180;

/** A dashboard that hangs on a wall: large, current by itself, and never quite at one place. */
export function Wall({ dashboard, team, onClose, children }: WallProps) {
  const queries = useQueryClient();
  const now = useNow();
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
  // Nothing burns in: all of it moves by some pixels from minute to minute.
  const minute = Math.floor(now / 60);
  const shift = { transform: `translate(${((minute % 5) - 2) * 2}px, ${((Math.floor(minute / 5) % 5) - 2) * 2}px)` };
  const isOld = now - readAt / 1000 > OLD_AFTER_S;
  return (
    <div role="region" aria-label={`${dashboard.name}, on the wall`} className="fixed inset-0 z-50 overflow-auto bg-paper">
      <div style={shift} className="p-5 text-[19px] [zoom:1.15]">
        <div className="flex flex-wrap items-baseline gap-4">
          <h1 className="text-[30px] font-bold">{dashboard.name}</h1>
          <span className="text-ink-2">{team || "all teams"}</span>
          {isOld ? (
            <span role="status" className="rounded-card bg-rust-2 px-3 font-bold text-rust">
              not current since {exact(Math.floor(readAt / 1000))}
            </span>
          ) : null}
          <span className="ml-auto font-mono text-[30px] font-bold">{exact(now).split(", ").at(-1)?.slice(0, 5)}</span>
          <button type="button" className="min-h-[30px] text-[14px] text-ink-2 underline" onClick={onClose}>
            leave the wall
          </button>
        </div>
        {children}
      </div>
    </div>
  );
}
