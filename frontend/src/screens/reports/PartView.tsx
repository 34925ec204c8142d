import { lazy, type ReactNode, Suspense } from "react";
import { Link } from "react-router";
import type { components } from "../../api/schema";
import type { TeamOutlook } from "../../parts/chances";
import { PriorityMark } from "../../parts/marks";
import { OutlookCard } from "../../parts/outlook/OutlookCard";
import { clockVerb } from "../../parts/state";
import { span, when } from "../../parts/time";
import { Loading } from "../../parts/ui";
import { BigFigures } from "./BigFigures";
import type { Part } from "./board";
import type { Definition, Shown } from "./report";
import { type Cell, ReportTable } from "./ReportTable";

const ReportChart = lazy(() => import("./ReportChart").then((m) => ({ default: m.ReportChart })));

type Line = Pick<components["schemas"]["SharedLineShape"], "id" | "kind" | "title" | "priority" | "state" | "team" | "due_s">;

interface ReportViewProps {
  show: string;
  definition: Definition;
  shown: Shown;
  /** Nothing is pressed on a wall, or by who only looks. */
  onCell?: ((cell: Cell) => void) | undefined;
}

/** A report as a part of a dashboard: its figures, its table, or its drawing. */
export function ReportView({ show, definition, shown, onCell }: ReportViewProps) {
  if (show === "figures") return <BigFigures shown={shown} definition={definition} />;
  if (show === "table")
    return <ReportTable shown={shown} definition={definition} cell={null} onCell={(cell) => onCell?.(cell)} isStill={!onCell} />;
  return (
    <Suspense fallback={<Loading what="the drawing" />}>
      <ReportChart
        shown={shown}
        definition={definition.draw === "table" ? { ...definition, draw: "bars" } : definition}
        onCell={onCell}
        isPart
      />
    </Suspense>
  );
}

/** The first rows of a live list, and how many there are. */
export function ListView({ rows, count, now, isStill }: { rows: Line[]; count: string; now: number; isStill: boolean }) {
  if (rows.length === 0) return <p className="text-ink-2">Nothing is in it now.</p>;
  return (
    <>
      <ul>
        {rows.map((row) => (
          <li key={row.id} className="flex items-center gap-2 border-b border-line py-[3px] last:border-0">
            <PriorityMark priority={row.priority} />
            <span className="shrink-0 tabular-nums text-ink-2">{row.id}</span>
            <span className="min-w-0 flex-1 truncate font-semibold" title={row.title}>
              {isStill ? (
                row.title
              ) : (
                <Link className="hover:underline" to={`/desk/tickets/${row.id}`}>
                  {row.title}
                </Link>
              )}
            </span>
            <Due row={row} now={now} />
          </li>
        ))}
      </ul>
      <p className="mt-1 text-[13px] text-ink-2">{count}</p>
    </>
  );
}

function Due({ row, now }: { row: Line; now: number }) {
  if (row.due_s === null) return <span className="shrink-0 text-[13px] text-ink-2">{row.state}</span>;
  if (row.due_s < now) return <b className="shrink-0 text-[13px] text-rust">overdue {span(now - row.due_s)}</b>;
  return (
    <span className="shrink-0 text-[13px]" title={`left to ${clockVerb("fix")}`}>
      {row.due_s - now < 8 * 3600 ? span(row.due_s - now) : when(row.due_s, now)}
    </span>
  );
}

interface OutlookViewProps {
  teams: TeamOutlook[];
  now: number;
  team: string;
  isStill: boolean;
}

/** What is likely to be missed: of one team, or of each of several. */
export function OutlookView({ teams, now, team, isStill }: OutlookViewProps) {
  const shown = teams.filter((one) => team === "" || one.name === team).sort((one, other) => (other.expected ?? -1) - (one.expected ?? -1));
  if (shown.length === 0) return <p className="text-ink-2">There is no outlook of it to be read.</p>;
  const [first] = shown;
  if (shown.length === 1 && first) return <OutlookCard outlook={first} now={now} isNamed isSmall isStill={isStill} />;
  const most = Math.max(0.1, ...shown.map((one) => one.high ?? 0));
  return (
    <ul className="flex flex-col gap-1.5">
      {shown.map((one) => (
        <li key={one.team} className="grid grid-cols-[minmax(0,40fr)_minmax(0,60fr)_44px] items-center gap-2">
          <span className="truncate">{one.name}</span>
          <span className="relative h-[14px] rounded bg-paper" aria-hidden="true">
            <span
              className="absolute top-[5px] h-[4px] rounded bg-sea-2"
              style={{ left: `${((one.low ?? 0) / most) * 100}%`, width: `${(((one.high ?? 0) - (one.low ?? 0)) / most) * 100}%` }}
            />
            <span
              className="absolute top-[1px] h-[12px] w-[12px] -translate-x-1/2 rounded-full bg-sea"
              style={{ left: `${Math.min(100, ((one.expected ?? 0) / most) * 100)}%` }}
            />
          </span>
          <b className="text-right tabular-nums">{one.expected === null ? "–" : one.expected.toFixed(1)}</b>
        </li>
      ))}
    </ul>
  );
}

/** A part without anything to show, and its frame with a name. */
export function PartFrame({
  part,
  name,
  note,
  link,
  children,
}: {
  part: Pick<Part, "kind" | "text">;
  name: string;
  note: string;
  link: string;
  children: ReactNode;
}) {
  if (part.kind === "text") return <p className="whitespace-pre-wrap p-1 text-[17px]">{part.text}</p>;
  return (
    <div>
      <h3 className="mb-1 flex items-baseline gap-2 font-bold">
        {link === "" ? (
          name
        ) : (
          <Link to={link} className="hover:underline">
            {name}
          </Link>
        )}
        <span className="text-[13px] font-normal text-ink-2">{note}</span>
      </h3>
      {children}
    </div>
  );
}
