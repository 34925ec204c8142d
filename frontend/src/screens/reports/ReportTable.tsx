import { short } from "./labels";
import { besides, type Definition, headOf, isFlow, isTimeline, OPEN_AT_END, said, scalesOf, type Line, type Shown } from "./report";

/** A cell of a report by the keys of its rows and its column; without a column, the total. */
export interface Cell {
  path: unknown[];
  column?: unknown;
  isBefore?: boolean;
  /** Beside what was open: what came, or went. */
  of?: "came" | "went";
  words: string;
}

interface TableProps {
  shown: Shown;
  definition: Definition;
  cell: Cell | null;
  onCell: (cell: Cell) => void;
  /** Where nothing is pressed. */
  isStill?: boolean;
}

/** The table of a report: every count opens its records. */
export function ReportTable({ shown, definition, cell, onCell, isStill = false }: TableProps) {
  const { table } = shown;
  const scales = scalesOf(shown);
  const hasColumns = table.columns.length > 0;
  const last = shown.measures.length > 1 ? shown.measures.length - 1 : 0;
  const most = Math.max(1e-9, ...table.rows.flatMap((row) => (hasColumns ? row.cells : [row.total]).map((figures) => figures[last] ?? 0)));
  const isTime = isTimeline(definition);
  const isFlowing = isFlow(definition);
  const isChosen = (path: unknown[], column?: unknown) =>
    cell !== null && !cell.isBefore && JSON.stringify([cell.path, cell.column]) === JSON.stringify([path, column]);

  const figures = (values: (number | null)[], path: unknown[], words: string, column?: unknown, isTotal = false) => (
    <td
      key={String(column)}
      className={`px-2 py-1 text-right align-top ${isTotal ? "bg-note/60" : ""} ${isChosen(path, column) ? "rounded-small outline outline-2 outline-sea" : ""}`}
    >
      <span className="flex items-baseline justify-end gap-2 whitespace-nowrap">
        {values.map((value, index) => {
          const scale = scales[index];
          if (!scale) return null;
          const text = said(value, scale);
          const of = passedOf(shown.measures[index]?.of);
          if (index > 0 && !isFlowing)
            return (
              <span key={index} className="min-w-[34px] text-[13px] tabular-nums text-ink-2">
                {text}
              </span>
            );
          return value === null || value === 0 ? (
            <span key={index} className="tabular-nums text-ink-2">
              {value === 0 ? 0 : ""}
            </span>
          ) : isStill ? (
            <b key={index} className="tabular-nums">
              {text}
            </b>
          ) : (
            <button
              key={index}
              type="button"
              className="min-h-[24px] min-w-[24px] text-right font-bold tabular-nums underline decoration-line-2 underline-offset-4 hover:decoration-sea"
              aria-label={`${words}${isFlowing ? `, ${of ?? "open"}` : ""}: ${text}`}
              onClick={() =>
                onCell({
                  path,
                  ...(column === undefined ? {} : { column }),
                  ...(of ? { of } : {}),
                  words: of ? `${of} in ${words}` : words,
                })
              }
            >
              {text}
            </button>
          );
        })}
      </span>
      {isTotal || (values[last] ?? 0) <= 0 ? null : (
        <span className="mt-0.5 block h-[4px]" aria-hidden="true">
          <span
            className="ml-auto block h-full rounded-full bg-sea-2"
            style={{ width: `${Math.max(2, ((values[last] ?? 0) / most) * 100)}%` }}
          />
        </span>
      )}
    </td>
  );

  const line = (row: Line, index: number) => {
    const head = headOf(row);
    const path = row.path.map((one) => one.key);
    const before = head.depth === 0 ? besides(shown, row, isTime) : undefined;
    const words = row.path.map((one) => one.label).join(", ");
    return (
      <tr key={index} className="border-b border-line">
        <th scope="row" className={`px-3 py-1 text-left align-top font-normal ${head.depth > 0 ? "pl-8 text-ink-2" : ""}`}>
          {isTime ? <span className="whitespace-nowrap">{head.label}</span> : head.label}
          {before && !hasColumns ? (
            <span className="block text-[13px] text-ink-2">
              before {isTime && before.path[0] ? `(${before.path[0].label}) ` : ""}
              {said(before.total[0], scales[0] ?? { divide: 1, unit: "", digits: 0 }) || "none"}
            </span>
          ) : null}
        </th>
        {table.columns.map((column, at) => figures(row.cells[at] ?? [], path, `${words} × ${column.label}`, column.key))}
        {figures(row.total, path, words, undefined, hasColumns)}
      </tr>
    );
  };

  return (
    <div className="max-h-[70vh] overflow-auto rounded-card border border-line bg-sheet" tabIndex={0} aria-label="The table" role="region">
      <table className="w-full text-[14.5px]">
        <thead className="sticky top-0 z-10 bg-sheet">
          <tr className="border-b border-line text-[13px] text-ink-2">
            <th scope="col" className="px-3 py-1.5 text-left font-normal">
              {scales
                .map(
                  (scale, index) => `${shown.measures[index]?.label ?? ""}${scale.unit && scale.unit !== "money" ? `, ${scale.unit}` : ""}`,
                )
                .join(" · ")}
            </th>
            {table.columns.map((column) => (
              <th key={String(column.key)} scope="col" className="whitespace-nowrap px-2 py-1.5 text-right font-bold text-ink">
                {short(column.label, definition.columns?.by ?? "")}
              </th>
            ))}
            <th scope="col" className={`px-2 py-1.5 text-right font-bold text-ink ${hasColumns ? "bg-note/60" : ""}`}>
              {hasColumns ? "all" : ""}
            </th>
          </tr>
        </thead>
        <tbody>
          {table.rows.map(line)}
          {definition.event === OPEN_AT_END || definition.rows.length === 0 ? null : (
            <tr className="border-t-2 border-line-2">
              <th scope="row" className="px-3 py-1.5 text-left">
                all
              </th>
              {table.columns.map((column, at) => figures(table.totals[at] ?? [], [], `all × ${column.label}`, column.key, true))}
              {figures(table.total, [], "all", undefined, true)}
            </tr>
          )}
          {definition.rows.length === 0 ? <tr>{figures(table.total, [], "all")}</tr> : null}
          {shown.before && definition.event !== OPEN_AT_END ? (
            <tr className="border-t border-dashed border-line-2 text-ink-2">
              <th scope="row" className="px-3 py-1.5 text-left font-normal">
                {definition.against}
              </th>
              {table.columns.map((column) => (
                <td key={String(column.key)} />
              ))}
              <td className="px-2 py-1 text-right tabular-nums">
                {shown.before.total.map((value, index) => (scales[index] ? said(value, scales[index]) : "")).join("   ")}
              </td>
            </tr>
          ) : null}
        </tbody>
      </table>
      {table.rows.length === 0 && definition.rows.length > 0 ? <p className="px-3 py-4 text-ink-2">No record is in that span.</p> : null}
    </div>
  );
}

function passedOf(of: string | undefined): "came" | "went" | undefined {
  return of === "came" || of === "went" ? of : undefined;
}
