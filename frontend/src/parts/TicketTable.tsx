import { useWindowVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useLayoutEffect, useRef, useState } from "react";
import { Link } from "react-router";
import type { Row } from "../api/client";
import { useFresh } from "../shell/live";
import { AxisHead, Track, useCalendars } from "./Axis";
import { useNow, useWidth } from "./hooks";
import { Markers, Number, PriorityMark } from "./marks";
import { exact, when } from "./time";

const ROW_HEIGHT = 40;
const NARROW_HEIGHT = 66;
const COLUMNS =
  "grid-cols-[34px_74px_minmax(200px,3fr)_minmax(90px,1fr)_minmax(90px,1fr)_minmax(90px,1fr)_minmax(210px,1.7fr)] max-[1100px]:grid-cols-[34px_74px_minmax(180px,3fr)_minmax(90px,1fr)_minmax(180px,1.6fr)] max-[680px]:grid-cols-[34px_70px_1fr]";

interface TicketTableProps {
  rows: Row[];
  open: number | null;
  cursor: number | null;
  me: number | undefined;
  onOpen: (number: number) => void;
  onEnd?: () => void;
  hasMore?: boolean;
}

/** Tickets as a virtualised list; the page scrolls, so Back finds the same place. */
export function TicketTable({ rows, open, cursor, me, onOpen, onEnd, hasMore = false }: TicketTableProps) {
  const list = useRef<HTMLDivElement>(null);
  const [top, setTop] = useState(0);
  const [axis, width] = useWidth<HTMLDivElement>();
  const calendars = useCalendars();
  const fresh = useFresh();
  const now = useNow();
  const [table, tableWidth] = useWidth<HTMLDivElement>();
  const isNarrow = tableWidth > 0 && tableWidth < 660;
  const rowHeight = isNarrow ? NARROW_HEIGHT : ROW_HEIGHT;
  useLayoutEffect(() => setTop(list.current?.offsetTop ?? 0), []);
  const virtual = useWindowVirtualizer({
    count: rows.length,
    estimateSize: () => rowHeight,
    overscan: 12,
    scrollMargin: top,
  });
  useEffect(() => virtual.measure(), [virtual, rowHeight]);
  const items = virtual.getVirtualItems();
  const last = items.at(-1)?.index ?? 0;
  useEffect(() => {
    if (hasMore && last >= rows.length - 15) onEnd?.();
  }, [hasMore, last, rows.length, onEnd]);

  return (
    <div ref={table} className="rounded-card border border-line bg-sheet" role="table" aria-label="Tickets" aria-rowcount={rows.length}>
      <div role="row" className={`grid ${COLUMNS} items-center gap-2 border-b border-line px-2.5 text-[13px] text-ink-2`}>
        <span role="columnheader" className="sr-only">
          priority
        </span>
        <span aria-hidden="true" />
        <span role="columnheader">number</span>
        <span role="columnheader">what</span>
        <span role="columnheader" className="max-[1100px]:hidden">
          service
        </span>
        <span role="columnheader" className="max-[1100px]:hidden">
          team
        </span>
        <span role="columnheader" className="max-[680px]:hidden">
          held by
        </span>
        <span role="columnheader" className="max-[680px]:hidden">
          <span className="sr-only">due</span>
          <span ref={axis} className="block h-[27px]">
            <AxisHead width={width} now={now} />
          </span>
        </span>
      </div>
      <div ref={list} role="rowgroup" className="relative" style={{ height: virtual.getTotalSize() }}>
        {items.map((item) => {
          const row = rows[item.index];
          if (!row) return null;
          return (
            <div
              key={row.id}
              id={`row-${row.id}`}
              role="row"
              aria-rowindex={item.index + 1}
              aria-current={row.id === open ? "true" : undefined}
              className={`absolute left-0 right-0 grid ${COLUMNS} cursor-pointer items-center gap-2 border-b border-line px-2.5 ${
                row.id === open
                  ? "bg-sea-3 shadow-[inset_3px_0_0_var(--color-sea)]"
                  : row.id === cursor
                    ? "bg-sea-3/60"
                    : "hover:bg-sea-3/40"
              } ${fresh.has(row.id) ? "glow" : ""}`}
              style={{ height: rowHeight, transform: `translateY(${item.start - virtual.options.scrollMargin}px)` }}
              onClick={(event) => {
                if (!(event.target instanceof HTMLAnchorElement)) onOpen(row.id);
              }}
            >
              <span role="cell">
                <PriorityMark priority={row.priority} />
              </span>
              <span role="cell">
                <Number row={row} />
              </span>
              <span role="cell" className={`min-w-0 ${isNarrow ? "" : "flex items-center"}`}>
                <Link to={`/desk/tickets/${row.id}`} className={`truncate font-semibold hover:underline ${isNarrow ? "block" : ""}`}>
                  {row.title}
                </Link>
                {isNarrow ? (
                  <span className="block h-[22px]">
                    <Track row={row} width={tableWidth - 150} height={22} now={now} openSpans={calendars.get(row.calendar)} />
                  </span>
                ) : (
                  <span className="shrink-0 whitespace-nowrap">
                    <Markers row={row} me={me} />
                  </span>
                )}
              </span>
              <span role="cell" className="truncate text-ink-2 max-[1100px]:hidden">
                {row.service ?? ""}
              </span>
              <span role="cell" className="truncate text-ink-2 max-[1100px]:hidden">
                {row.team}
              </span>
              <span role="cell" className={`truncate max-[680px]:hidden ${row.holder ? "text-ink-2" : "text-rust"}`}>
                {row.holder ?? "nobody"}
              </span>
              <span role="cell" className="h-full overflow-hidden max-[680px]:hidden">
                {row.state === "resolved" || row.state === "closed" || row.state === "cancelled" ? (
                  <span className="flex h-full items-center text-ink-2" title={exact(row.resolved_s ?? row.changed_s)}>
                    {row.state} {when(row.resolved_s ?? row.changed_s, now)}
                  </span>
                ) : (
                  <Track row={row} width={width} height={ROW_HEIGHT} now={now} openSpans={calendars.get(row.calendar)} />
                )}
              </span>
            </div>
          );
        })}
      </div>
    </div>
  );
}
