import { useWindowVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import type { FieldAbout, Row } from "../../api/client";
import { useFresh } from "../../shell/live";
import { AxisHead, useCalendars } from "../Axis";
import { useCoarseNow, useWidth } from "../hooks";
import { AGE, fitting, HORIZON, START_COLUMNS, TITLE_LEAST, widthOf } from "./columns";
import { headings, type Item } from "./groups";
import { HeadCell } from "./HeadCell";
import type { Piece } from "./useExcerpts";
import { NARROW_HEIGHT, ROW_HEIGHT, TALL_HEIGHT, TicketRow } from "./TicketRow";
import type { Group, Sort } from "./types";

const HEAD_HEIGHT = 34;
const NO_FIELDS: FieldAbout[] = [];
const NO_WIDTHS: Record<string, number> = {};
const NOBODY: ReadonlySet<number> = new Set();

interface TicketTableProps {
  rows: Row[];
  open: number | null;
  cursor: number | null;
  me: number | undefined;
  onOpen: (number: number) => void;
  onEnd?: () => void;
  hasMore?: boolean;
  columns?: string[];
  widths?: Record<string, number>;
  fields?: FieldAbout[];
  sorts?: Sort[];
  /** Set when a head is clicked; without it the order is fixed. */
  onSort?: (name: string, isMore: boolean) => void;
  onWidth?: (name: string, width: number) => void;
  onMove?: (name: string, step: -1 | 1) => void;
  /** A head was dragged before another. */
  onPlace?: (name: string, before: string) => void;
  isTall?: boolean;
  /** Of what was searched for: where in each ticket the words stand. */
  excerpts?: ReadonlyMap<number, Piece[]>;
  /** The field the rows are grouped by, and how many each of its values has. */
  group?: string;
  groups?: Group[];
  gone?: ReadonlySet<number>;
  chosen?: ReadonlySet<number>;
  onChoose?: (number: number, isRange: boolean) => void;
  onMenu?: (number: number, at: { x: number; y: number }) => void;
}

/** Tickets as a virtualised list; the page scrolls, so Back finds the same place. */
export function TicketTable(props: TicketTableProps) {
  const { rows, columns = START_COLUMNS, widths = NO_WIDTHS, fields = NO_FIELDS, onEnd, hasMore = false } = props;
  const list = useRef<HTMLDivElement>(null);
  const [top, setTop] = useState(0);
  const [axis, axisWidth] = useWidth<HTMLDivElement>();
  const calendars = useCalendars();
  const fresh = useFresh();
  const now = useCoarseNow();
  const [table, tableWidth] = useWidth<HTMLDivElement>();
  const isNarrow = tableWidth > 0 && tableWidth < 660;
  const isTall = (props.isTall ?? false) || (props.excerpts?.size ?? 0) > 0;
  const rowHeight = isNarrow ? NARROW_HEIGHT : isTall ? TALL_HEIGHT : ROW_HEIGHT;
  const shown = useMemo(() => (isNarrow ? [] : fitting(columns, widths, tableWidth || 1200)), [columns, widths, tableWidth, isNarrow]);
  const template = isNarrow
    ? "34px 74px 1fr"
    : `34px 78px minmax(${TITLE_LEAST}px, 3fr) ${shown
        .map((name) =>
          name === HORIZON ? `minmax(180px, ${widths[HORIZON] ? `${widthOf(HORIZON, widths)}px` : "1.7fr"})` : `${widthOf(name, widths)}px`,
        )
        .join(" ")}`;
  const items = useMemo(() => headings(rows, props.group ?? "", fields, now), [rows, props.group, fields, now]);
  useLayoutEffect(() => setTop(list.current?.offsetTop ?? 0), [tableWidth]);
  const virtual = useWindowVirtualizer({
    count: items.length,
    estimateSize: (index) => (items[index]?.row ? rowHeight : HEAD_HEIGHT),
    overscan: 4,
    useFlushSync: false,
    scrollMargin: top,
  });
  useEffect(() => virtual.measure(), [virtual, rowHeight, items]);
  const drawn = virtual.getVirtualItems();
  const last = drawn.at(-1)?.index ?? 0;
  useEffect(() => {
    if (hasMore && last >= items.length - 25) onEnd?.();
  }, [hasMore, last, items.length, onEnd]);

  return (
    <div
      ref={table}
      className="rounded-card border border-line bg-sheet"
      role="table"
      aria-label="Tickets"
      aria-rowcount={hasMore ? -1 : rows.length + 1}
    >
      <div
        role="row"
        className="grid items-center gap-2 border-b border-line px-2.5 text-[13px] text-ink-2"
        style={{ gridTemplateColumns: template }}
      >
        <HeadCell name="priority" label="" spoken="priority" {...props} />
        <HeadCell name="number" label="number" {...props} />
        <HeadCell name="title" label="title" {...props} />
        {shown.map((name) =>
          name === HORIZON ? (
            <HeadCell key={name} name="due" column={HORIZON} label="" spoken="due" {...props}>
              <span ref={axis} className="block h-[27px] w-full">
                <AxisHead width={axisWidth} now={now} />
              </span>
            </HeadCell>
          ) : (
            <HeadCell
              key={name}
              name={name}
              column={name}
              label={headOf(name, fields)}
              {...props}
              {...(name === AGE ? ageOrder(props) : {})}
            />
          ),
        )}
      </div>
      <div ref={list} role="rowgroup" className="relative" style={{ height: virtual.getTotalSize() }}>
        {drawn.map((item) => {
          const entry = items[item.index];
          const at = item.start - virtual.options.scrollMargin;
          if (!entry) return null;
          if (!entry.row) return <GroupHead key={`g${entry.label}${item.index}`} entry={entry} groups={props.groups} top={at} />;
          const row = entry.row;
          return (
            <TicketRow
              key={row.id}
              row={row}
              index={item.index}
              columns={shown}
              fields={fields}
              template={template}
              horizonWidth={axisWidth}
              tableWidth={tableWidth}
              isNarrow={isNarrow}
              isTall={isTall}
              excerpt={props.excerpts?.get(row.id)}
              isOpen={row.id === props.open}
              isCursor={row.id === props.cursor}
              isChosen={(props.chosen ?? NOBODY).has(row.id)}
              isGone={(props.gone ?? NOBODY).has(row.id)}
              isFresh={fresh.has(row.id)}
              me={props.me}
              now={now}
              top={at}
              openSpans={calendars.get(row.calendar)}
              canChoose={props.onChoose !== undefined}
              onOpen={props.onOpen}
              onChoose={props.onChoose ?? nothing}
              onMenu={props.onMenu ?? nothing}
            />
          );
        })}
      </div>
    </div>
  );
}

function nothing(): void {
  // A list that is only looked at has neither.
}

/** Age orders by when it was opened, the other way round: the youngest first. */
function ageOrder({ sorts = [], onSort }: TicketTableProps): { sorts: Sort[]; onSort?: (name: string, isMore: boolean) => void } {
  const turned = sorts.map((sort) => (sort.name === "opened" ? { name: AGE, isDown: !sort.isDown } : sort));
  return { sorts: turned, ...(onSort ? { onSort: (_: string, isMore: boolean) => onSort("opened", isMore) } : {}) };
}

function headOf(name: string, fields: FieldAbout[]): string {
  return fields.find((field) => field.name === name)?.label ?? (name === "holder" ? "assignee" : name);
}

function GroupHead({ entry, groups, top }: { entry: Item; groups: Group[] | undefined; top: number }) {
  const count = groups?.find((group) => (group.value ?? null) === (entry.value ?? null))?.count;
  return (
    <div
      role="row"
      className="absolute left-0 right-0 flex items-center gap-2 border-b border-line bg-paper px-3 font-bold"
      style={{ height: HEAD_HEIGHT, transform: `translateY(${top}px)` }}
    >
      <span role="cell">
        {entry.label}
        {entry.note ? <span className="ml-2 font-normal text-ink-2">{entry.note}</span> : null}
        {count === undefined ? null : <span className="ml-2 font-normal text-ink-2">{count.toLocaleString("en-GB")}</span>}
      </span>
    </div>
  );
}
