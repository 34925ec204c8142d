import { useWindowVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useLayoutEffect, useRef, useState } from "react";
import { Link } from "react-router";
import type { Row } from "../../api/client";
import { useFresh } from "../../shell/live";
import { Track, useCalendars } from "../Axis";
import { useCoarseNow, useWidth } from "../hooks";
import { Markers, Number, PriorityMark } from "../marks";

const CARD_HEIGHT = 126;
const CARD_WIDTH = 320;

interface CardsProps {
  rows: Row[];
  open: number | null;
  cursor: number | null;
  me: number | undefined;
  onOpen: (number: number) => void;
  onEnd: () => void;
  hasMore: boolean;
}

/** Tickets as cards, each with a short axis of its own. */
export function Cards({ rows, open, cursor, me, onOpen, onEnd, hasMore }: CardsProps) {
  const list = useRef<HTMLDivElement>(null);
  const [top, setTop] = useState(0);
  const [box, width] = useWidth<HTMLDivElement>();
  const now = useCoarseNow();
  const fresh = useFresh();
  const calendars = useCalendars();
  const across = Math.max(1, Math.floor(width / CARD_WIDTH));
  const lines = Math.ceil(rows.length / across);
  useLayoutEffect(() => setTop(list.current?.offsetTop ?? 0), [width]);
  const virtual = useWindowVirtualizer({ count: lines, estimateSize: () => CARD_HEIGHT + 10, overscan: 4, scrollMargin: top });
  const drawn = virtual.getVirtualItems();
  const last = drawn.at(-1)?.index ?? 0;
  useEffect(() => {
    if (hasMore && last >= lines - 4) onEnd();
  }, [hasMore, last, lines, onEnd]);
  return (
    <div ref={box}>
      <div ref={list} role="list" aria-label="Tickets" className="relative" style={{ height: virtual.getTotalSize() }}>
        {drawn.map((line) => (
          <div
            key={line.index}
            className="absolute left-0 right-0 grid gap-2.5"
            style={{
              gridTemplateColumns: `repeat(${across}, minmax(0, 1fr))`,
              transform: `translateY(${line.start - virtual.options.scrollMargin}px)`,
            }}
          >
            {rows.slice(line.index * across, (line.index + 1) * across).map((row) => (
              <article
                key={row.id}
                id={`row-${row.id}`}
                role="listitem"
                className={`cursor-pointer rounded-card border bg-sheet p-2.5 ${row.id === open || row.id === cursor ? "border-sea" : "border-line hover:border-line-2"} ${fresh.has(row.id) ? "glow" : ""}`}
                style={{ height: CARD_HEIGHT }}
                onClick={(event) => {
                  if (!(event.target as HTMLElement).closest("a")) onOpen(row.id);
                }}
              >
                <div className="flex items-center gap-2">
                  <PriorityMark priority={row.priority} />
                  <Number row={row} />
                  <span className="ml-auto truncate text-[13px] text-ink-2">
                    <Markers row={row} me={me} />
                  </span>
                </div>
                <Link to={`/desk/tickets/${row.id}`} className="mt-1 line-clamp-2 font-semibold leading-tight hover:underline">
                  {row.title}
                </Link>
                <p className="truncate text-[13px] text-ink-2">
                  {row.service ?? "no service"} · {row.holder ?? <b className="font-semibold text-rust">unassigned</b>}
                </p>
                <div className="h-[24px] overflow-hidden">
                  <Track row={row} width={width / across - 34} height={24} now={now} openSpans={calendars.get(row.calendar)} />
                </div>
              </article>
            ))}
          </div>
        ))}
      </div>
    </div>
  );
}
