import { Link } from "react-router";
import type { Row } from "../../api/client";
import { AxisHead, Track, useCalendars } from "../../parts/Axis";
import { nowAt } from "../../parts/horizon";
import { useWidth } from "../../parts/hooks";
import { Initials } from "../../parts/Initials";
import { TURNS } from "../../parts/list/groups";
import { Markers, Number, PriorityMark } from "../../parts/marks";
import { moveWords } from "../../parts/state";
import { useFresh } from "../../shell/live";

export type Density = "one" | "two";
const HEIGHTS: Record<Density, number> = { one: 31, two: 47 };

interface HorizonProps {
  ours: Row[];
  others: Row[];
  /** Whose work it is, in words. */
  title: string;
  density: Density;
  open: number | null;
  cursor: number | null;
  now: number;
  me: number;
  onOpen: (number: number) => void;
  onMenu: (number: number, at: { x: number; y: number }) => void;
  isCut: boolean;
  /** Given where rows can be dragged onto a person. */
  onDrag?: (row: Row, transfer: DataTransfer) => void;
}

/** Open work in the order of work, each row drawn by when it falls due on one axis. */
export function Horizon(props: HorizonProps) {
  const { ours, others, now, density } = props;
  const [axis, width] = useWidth<HTMLDivElement>();
  const [table, tableWidth] = useWidth<HTMLDivElement>();
  const isWide = density === "one" && tableWidth > 880;
  const template = isWide
    ? "minmax(240px,40fr) minmax(120px,18fr) minmax(92px,11fr) minmax(0,36fr)"
    : tableWidth > 0 && tableWidth < 560
      ? "minmax(0,1fr)"
      : "minmax(230px,56fr) minmax(0,44fr)";
  const isNarrow = template === "minmax(0,1fr)";
  const groups = [
    { label: "Waiting for us", note: "overdue by priority, then running out soonest, then out of hours", rows: ours, why: true },
    { label: "Waiting on others", note: "by when they come back, else by what time is left", rows: others, why: false },
  ];
  const line = (
    <span className={`absolute bottom-0 top-0 w-[2px] bg-ink ${isNarrow ? "hidden" : ""}`} style={{ left: nowAt * width - 1 }} />
  );
  return (
    <div ref={table} className="overflow-hidden rounded-card border border-b-0 border-line bg-sheet">
      <div className="grid items-center border-b border-line text-[13px] text-ink-2" style={{ gridTemplateColumns: template }}>
        <div className="px-3 py-1 leading-[18px]">{props.title}</div>
        {isWide ? <div>service, requester</div> : null}
        {isWide ? <div>assignee</div> : null}
        <div ref={axis} className={`h-[26px] ${isNarrow ? "hidden" : ""}`}>
          <AxisHead width={width} now={now} />
        </div>
      </div>
      {groups.map((group) => (
        <section key={group.label} aria-label={group.label}>
          <div className="relative grid border-b border-line bg-paper/60" style={{ gridTemplateColumns: template }}>
            <h2 className={`px-3 py-1 font-bold ${isWide ? "col-span-3" : ""}`}>
              {group.label} <span className="ml-1 font-normal">{group.rows.length}</span>
              <span className="ml-2 text-[13px] font-normal text-ink-2">{group.note}</span>
            </h2>
            <div className="relative">{line}</div>
          </div>
          {group.rows.length === 0 ? <p className="border-b border-line px-3 py-2 text-ink-2">Nothing here.</p> : null}
          {sectionsOf(group.rows, group.why).map(([turn, rows]) => (
            <div key={turn}>
              {group.why ? (
                <div className="relative grid border-b border-line" style={{ gridTemplateColumns: template }}>
                  <h3 className={`px-3 py-0.5 text-[13px] font-semibold ${isWide ? "col-span-3" : ""}`}>
                    {TURNS[turn]?.label ?? turn} <span className="ml-0.5 font-normal text-ink-2">{rows.length}</span>
                    {turn === "out of hours" ? <span className="ml-2 font-normal text-ink-2">{TURNS[turn]?.note}</span> : null}
                  </h3>
                  <div className="relative">{line}</div>
                </div>
              ) : null}
              <ul>
                {rows.map((row) => (
                  <HorizonRow key={row.id} row={row} width={width} template={template} isWide={isWide} isNarrow={isNarrow} {...props} />
                ))}
              </ul>
            </div>
          ))}
        </section>
      ))}
      {props.isCut ? (
        <p className="border-b border-line px-3.5 py-2 text-ink-2">Only the first 200 are drawn. The Queue has them all.</p>
      ) : null}
    </div>
  );
}

/** Rows by their section; those that wait on others are one. */
function sectionsOf(rows: Row[], isSplit: boolean): [string, Row[]][] {
  const found = new Map<string, Row[]>();
  for (const row of rows) {
    const turn = isSplit ? (row.turn ?? "running") : "waiting";
    found.set(turn, [...(found.get(turn) ?? []), row]);
  }
  return [...found];
}

interface HorizonRowProps extends HorizonProps {
  row: Row;
  width: number;
  template: string;
  isWide: boolean;
  isNarrow: boolean;
}

function HorizonRow({ row, width, template, isWide, isNarrow, density, open, cursor, now, me, onOpen, onMenu, onDrag }: HorizonRowProps) {
  const fresh = useFresh();
  const calendars = useCalendars();
  const height = HEIGHTS[density];
  const look =
    row.id === open
      ? "bg-sea-3 shadow-[inset_3px_0_0_var(--color-sea)]"
      : row.id === cursor
        ? "bg-sea-3/60 shadow-[inset_3px_0_0_var(--color-sea-2)]"
        : "hover:bg-sea-3/40";
  const isHandedToMe = row.handed_to_id === me && row.handed_why !== "";
  const about = (
    <>
      {row.service ?? "no service"} · {row.state === "waiting" ? moveWords(row, now).replace(/^on /, "") : row.requester}
    </>
  );
  return (
    <li
      id={`row-${row.id}`}
      aria-current={row.id === open ? "true" : undefined}
      draggable={onDrag !== undefined}
      onDragStart={(event) => onDrag?.(row, event.dataTransfer)}
      className={`group relative grid cursor-pointer border-b border-line ${look} ${fresh.has(row.id) ? "glow" : ""}`}
      style={{ gridTemplateColumns: template }}
      onClick={(event) => {
        if (!(event.target as HTMLElement).closest("a,button")) onOpen(row.id);
      }}
      onContextMenu={(event) => {
        if (event.target instanceof HTMLAnchorElement) return;
        event.preventDefault();
        onMenu(row.id, { x: event.clientX, y: event.clientY });
      }}
    >
      <div className="flex min-w-0 items-center gap-2.5 px-2.5 max-[600px]:py-1" style={{ minHeight: height }}>
        <PriorityMark priority={row.priority} />
        <span className="w-[64px] shrink-0">
          <Number row={row} />
        </span>
        <div className="min-w-0 flex-1">
          <div className="flex items-center">
            <Link to={`/desk/tickets/${row.id}`} className="truncate text-[14.5px] font-semibold hover:underline" title={row.title}>
              {row.title}
            </Link>
            <span className="shrink-0 whitespace-nowrap">
              <Markers row={row} me={me} />
            </span>
          </div>
          {density === "two" ? (
            <div className="truncate text-[13px] text-ink-2">
              {isHandedToMe ? <b className="font-semibold text-ink">handed to you: {row.handed_why} · </b> : null}
              {row.service ?? "no service"} · {row.requester}
              {row.open_tasks > 0 ? ` · ${row.open_tasks} task${row.open_tasks === 1 ? "" : "s"} open` : ""}
              {row.holder_id === null ? (
                <b className="font-semibold text-rust"> · unassigned</b>
              ) : row.holder_id === me ? (
                ""
              ) : (
                ` · ${row.holder}`
              )}
              {row.state === "waiting" ? ` · waiting ${moveWords(row, now)}` : ""}
            </div>
          ) : null}
        </div>
        <button
          type="button"
          tabIndex={-1}
          aria-label={`What to do with ${row.id}`}
          className="shrink-0 rounded p-1 text-ink-2 opacity-0 hover:bg-sea-2/60 focus:opacity-100 group-hover:opacity-100"
          onClick={(event) => {
            const box = event.currentTarget.getBoundingClientRect();
            onMenu(row.id, { x: box.left, y: box.bottom });
          }}
        >
          <span aria-hidden="true">⋯</span>
        </button>
      </div>
      {isWide ? (
        <div
          className="flex min-w-0 items-center pr-2.5 text-[13px] text-ink-2"
          title={isHandedToMe ? `handed to you: ${row.handed_why}` : undefined}
        >
          <span className="truncate">{isHandedToMe ? <b className="font-semibold text-ink">{row.handed_why}</b> : about}</span>
        </div>
      ) : null}
      {isWide ? (
        <div className="flex min-w-0 items-center gap-1.5 text-[13px]">
          {row.holder ? (
            <>
              <Initials name={row.holder} />
              <span className="truncate">{row.holder_id === me ? "me" : row.holder.split(" ")[0]}</span>
            </>
          ) : (
            <b className="font-semibold text-rust">unassigned</b>
          )}
        </div>
      ) : null}
      <div className={`relative overflow-hidden ${isNarrow ? "h-7" : ""}`}>
        <Track
          row={row}
          width={isNarrow ? 320 : width || 320}
          height={isNarrow ? 28 : height}
          now={now}
          openSpans={calendars.get(row.calendar)}
        />
      </div>
    </li>
  );
}
