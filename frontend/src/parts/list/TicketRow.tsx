import { cellWords, valueOf } from "./cells";
import { memo } from "react";
import { Link } from "react-router";
import type { FieldAbout, Row } from "../../api/client";
import { Track } from "../Axis";
import { Markers, Number, PriorityMark } from "../marks";
import { exact, span, when } from "../time";
import { AGE, HORIZON } from "./columns";
import type { Piece } from "./useExcerpts";

export const ROW_HEIGHT = 40;
export const NARROW_HEIGHT = 66;
export const TALL_HEIGHT = 58;
const DONE = new Set(["resolved", "closed", "cancelled"]);

interface TicketRowProps {
  row: Row;
  index: number;
  columns: string[];
  fields: FieldAbout[];
  template: string;
  horizonWidth: number;
  tableWidth: number;
  isNarrow: boolean;
  /** Two lines: whose it is and where, below the title. */
  isTall: boolean;
  excerpt: Piece[] | undefined;
  isOpen: boolean;
  isCursor: boolean;
  isChosen: boolean;
  isGone: boolean;
  isFresh: boolean;
  me: number | undefined;
  now: number;
  top: number;
  openSpans: number[][] | undefined;
  canChoose: boolean;
  onOpen: (number: number) => void;
  onChoose: (number: number, isRange: boolean) => void;
  onMenu: (number: number, at: { x: number; y: number }) => void;
}

/** One ticket of a list; drawn again only when something of it changed. */
export const TicketRow = memo(function TicketRow(props: TicketRowProps) {
  const { row, isNarrow, now, tableWidth } = props;
  const height = isNarrow ? NARROW_HEIGHT : props.isTall ? TALL_HEIGHT : ROW_HEIGHT;
  const look = props.isOpen
    ? "bg-sea-3 shadow-[inset_3px_0_0_var(--color-sea)]"
    : props.isChosen
      ? "bg-crown-2/60"
      : props.isCursor
        ? "bg-sea-3/60 shadow-[inset_3px_0_0_var(--color-line-2)]"
        : "hover:bg-sea-3/40";
  return (
    <div
      id={`row-${row.id}`}
      role="row"
      aria-rowindex={props.index + 2}
      aria-selected={props.canChoose ? props.isChosen : undefined}
      aria-current={props.isOpen ? "true" : undefined}
      className={`group absolute left-0 right-0 grid [contain:strict] cursor-pointer items-center gap-2 border-b border-line px-2.5 ${look} ${props.isFresh ? "glow" : ""} ${props.isGone ? "opacity-60" : ""}`}
      style={{ height, transform: `translateY(${props.top}px)`, gridTemplateColumns: props.template }}
      onClick={(event) => {
        const on = event.target as HTMLElement;
        if (on.closest("a,button,input,label")) return;
        if (event.shiftKey || event.ctrlKey || event.metaKey) props.onChoose(row.id, event.shiftKey);
        else props.onOpen(row.id);
      }}
      onContextMenu={(event) => {
        if (!props.canChoose || (event.target as HTMLElement).closest("a")) return;
        event.preventDefault();
        props.onMenu(row.id, { x: event.clientX, y: event.clientY });
      }}
    >
      <span role="cell" className="relative flex h-full items-center">
        {props.canChoose ? (
          <label
            className={`absolute inset-0 z-10 flex cursor-pointer items-center justify-center bg-inherit ${props.isChosen ? "" : "opacity-0 focus-within:bg-sheet focus-within:opacity-100 group-hover:bg-sheet group-hover:opacity-100"}`}
          >
            <input
              type="checkbox"
              checked={props.isChosen}
              aria-label={`Choose ${row.id}`}
              onChange={() => undefined}
              onClick={(event) => props.onChoose(row.id, event.shiftKey)}
            />
          </label>
        ) : null}
        <span className={props.isChosen ? "invisible" : ""}>
          <PriorityMark priority={row.priority} />
        </span>
      </span>
      <span role="cell">
        <Number row={row} />
      </span>
      <span role="cell" className={`min-w-0 ${isNarrow ? "" : "flex items-center"}`}>
        <Link to={`/desk/tickets/${row.id}`} className={`truncate font-semibold hover:underline ${isNarrow ? "block" : ""}`}>
          {row.title}
          {props.isTall && !isNarrow ? (
            <span className="block truncate text-[13px] font-normal text-ink-2">
              {props.excerpt
                ? props.excerpt.map((piece, index) => (piece.is_hit ? <mark key={index}>{piece.text}</mark> : piece.text))
                : [row.requester, row.place, row.service].filter(Boolean).join(" · ")}
            </span>
          ) : null}
        </Link>
        {isNarrow ? (
          <span className="block h-[22px]">
            <Track row={row} width={tableWidth - 150} height={22} now={now} openSpans={props.openSpans} />
          </span>
        ) : (
          <span className="shrink-0 whitespace-nowrap">
            <Markers row={row} me={props.me} />
            {props.isGone ? <span className="ml-1.5 text-[12px] text-ink-2">no longer in this list</span> : null}
          </span>
        )}
        {props.canChoose && !isNarrow ? (
          <button
            type="button"
            tabIndex={-1}
            aria-label={`What to do with ${row.id}`}
            className="ml-auto shrink-0 rounded p-1 text-ink-2 opacity-0 hover:bg-sea-3 focus:opacity-100 group-hover:opacity-100"
            onClick={(event) => {
              const box = event.currentTarget.getBoundingClientRect();
              props.onMenu(row.id, { x: box.left, y: box.bottom });
            }}
          >
            <span aria-hidden="true">⋯</span>
          </button>
        ) : null}
      </span>
      {props.columns.map((name) =>
        name === HORIZON ? (
          <span key={name} role="cell" className="h-full overflow-hidden">
            {DONE.has(row.state) ? (
              <span className="flex h-full items-center text-ink-2" title={exact(row.resolved_s ?? row.changed_s)}>
                {row.state} {when(row.resolved_s ?? row.changed_s, now)}
              </span>
            ) : (
              <Track row={row} width={props.horizonWidth} height={height} now={now} openSpans={props.openSpans} />
            )}
          </span>
        ) : (
          <Cell key={name} row={row} name={name} fields={props.fields} now={now} />
        ),
      )}
    </div>
  );
});

function Cell({ row, name, fields, now }: { row: Row; name: string; fields: FieldAbout[]; now: number }) {
  if (name === AGE)
    return (
      <span role="cell" className="truncate text-ink-2" title={`opened ${exact(row.opened_s)}`}>
        {span((DONE.has(row.state) ? (row.resolved_s ?? row.changed_s) : now) - row.opened_s)}
      </span>
    );
  const value = valueOf(row, name);
  const type = fields.find((field) => field.name === name)?.type;
  if (name === "holder")
    return (
      <span role="cell" className={`truncate ${row.holder ? "text-ink-2" : "text-rust"}`}>
        {row.holder ?? "unassigned"}
      </span>
    );
  const isInstant = type === "instant" && typeof value === "number";
  const does = name === "next step" ? cellWords(valueOf(row, "next step does")) : "";
  const words = isInstant ? [when(value, now), does.replace(/^[^:]*: /, "")].filter(Boolean).join(" ") : cellWords(value);
  return (
    <span
      role="cell"
      className={`truncate text-ink-2 ${typeof value === "number" && !isInstant ? "text-right" : ""}`}
      title={isInstant ? [exact(value), does].filter(Boolean).join(" – ") : words}
    >
      {words}
    </span>
  );
}
