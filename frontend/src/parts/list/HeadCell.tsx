import { type ReactNode, useRef, useState } from "react";
import { widthOf } from "./columns";
import type { Sort } from "./types";

/** What is dragged is a column, and nothing else that could be dropped on a head. */
const COLUMN = "application/x-gannet-column";

interface HeadCellProps {
  /** The field that a click orders by. */
  name: string;
  /** The column it heads, when that can be moved and resized. */
  column?: string;
  label: string;
  spoken?: string;
  sorts?: Sort[];
  widths?: Record<string, number>;
  onSort?: (name: string, isMore: boolean) => void;
  onWidth?: (name: string, width: number) => void;
  onMove?: (name: string, step: -1 | 1) => void;
  onPlace?: (name: string, before: string) => void;
  children?: ReactNode;
}

/** A head that orders by its column, shows its place in the order, and moves its edge. */
export function HeadCell({
  name,
  column,
  label,
  spoken,
  sorts = [],
  widths = {},
  onSort,
  onWidth,
  onMove,
  onPlace,
  children,
}: HeadCellProps) {
  const at = sorts.findIndex((sort) => sort.name === name);
  const sort = sorts[at];
  const drag = useRef<{ x: number; width: number } | null>(null);
  const [isOver, setOver] = useState(false);
  const cell = useRef<HTMLSpanElement>(null);
  const mark = sort ? `${sorts.length > 1 ? at + 1 : ""}${sort.isDown ? "↓" : "↑"}` : "";
  const inside = (
    <>
      <span className="sr-only">
        {onSort ? "Order by " : ""}
        {spoken ?? label}
        {sort ? `, ${sort.isDown ? "falling" : "rising"} now` : ""}
      </span>
      <span aria-hidden="true" className="min-w-0 flex-1 truncate">
        {children ?? label}
      </span>
      {mark ? (
        <b
          aria-hidden="true"
          className={`shrink-0 font-mono text-[12px] text-ink ${children ? "absolute right-2.5 top-1/2 -translate-y-1/2 rounded bg-sheet px-1" : ""}`}
        >
          {mark}
        </b>
      ) : null}
    </>
  );
  return (
    <span
      ref={cell}
      role="columnheader"
      aria-sort={sort ? (sort.isDown ? "descending" : "ascending") : undefined}
      className={`relative min-w-0 ${isOver ? "shadow-[inset_3px_0_0_var(--color-sea)]" : ""}`}
      draggable={column !== undefined && onPlace !== undefined}
      onDragStart={(event) => {
        if (!column || drag.current) return event.preventDefault();
        event.dataTransfer.setData(COLUMN, column);
        event.dataTransfer.effectAllowed = "move";
      }}
      onDragOver={(event) => {
        if (!column || !onPlace || !event.dataTransfer.types.includes(COLUMN)) return;
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        setOver(false);
        const moved = event.dataTransfer.getData(COLUMN);
        if (column && moved) onPlace?.(moved, column);
      }}
    >
      {onSort ? (
        <button
          type="button"
          className={`flex w-full items-center gap-1 py-1 text-left hover:text-ink ${name === "priority" ? "min-h-[24px] min-w-[24px]" : ""}`}
          title={
            column && onMove
              ? "Click: order by it · Shift and click: order by it as well · drag it, or Ctrl and arrow: move it"
              : "Click: order by it · Shift and click: order by it as well"
          }
          onClick={(event) => onSort(name, event.shiftKey)}
          onKeyDown={(event) => {
            if (!column || !onMove || !event.ctrlKey) return;
            if (event.key !== "ArrowLeft" && event.key !== "ArrowRight") return;
            event.preventDefault();
            onMove(column, event.key === "ArrowLeft" ? -1 : 1);
          }}
        >
          {inside}
        </button>
      ) : (
        <span className="flex items-center py-1">{inside}</span>
      )}
      {column && onWidth ? (
        <span
          role="separator"
          aria-orientation="vertical"
          aria-label={`Width of ${spoken ?? label}`}
          aria-valuenow={widthOf(column, widths)}
          aria-valuemin={60}
          aria-valuemax={900}
          tabIndex={0}
          className="absolute -right-[7px] top-0 z-10 h-full w-[12px] cursor-col-resize border-r-2 border-transparent hover:border-line-2 focus:border-sea"
          onPointerDown={(event) => {
            drag.current = { x: event.clientX, width: cell.current?.getBoundingClientRect().width ?? 120 };
            event.currentTarget.setPointerCapture(event.pointerId);
          }}
          onPointerMove={(event) => {
            if (drag.current) onWidth(column, Math.round(drag.current.width + event.clientX - drag.current.x));
          }}
          onPointerUp={() => {
            drag.current = null;
          }}
          onKeyDown={(event) => {
            if (event.key !== "ArrowLeft" && event.key !== "ArrowRight") return;
            event.preventDefault();
            event.stopPropagation();
            onWidth(column, (cell.current?.getBoundingClientRect().width ?? 120) + (event.key === "ArrowLeft" ? -16 : 16));
          }}
        />
      ) : null}
    </span>
  );
}
