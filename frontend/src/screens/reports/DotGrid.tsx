import { type Definition, outer, said, scalesOf, type Shown } from "./report";
import { short } from "./labels";
import type { Cell } from "./ReportTable";

interface DotGridProps {
  shown: Shown;
  definition: Definition;
  onCell?: ((cell: Cell) => void) | undefined;
  /** A part of a dashboard: as narrow as there is room, and not pressed. */
  isPart?: boolean;
}

/** Rows against columns as dots by size: where much comes together, the eye sees it. */
export function DotGrid({ shown, definition, onCell, isPart = false }: DotGridProps) {
  const scales = scalesOf(shown);
  const scale = scales[0];
  const rows = outer(shown.table);
  const { columns } = shown.table;
  if (!scale || columns.length === 0)
    return <p className="rounded-card border border-line bg-sheet p-3 text-ink-2">Dots need columns: choose what stands in them.</p>;
  const most = Math.max(1e-9, ...rows.flatMap((row) => row.cells.map((cell) => cell[0] ?? 0)));
  const busiest = rows
    .flatMap((row) =>
      row.cells.map((cell, at) => ({ words: `${row.path[0]?.label ?? ""} ${columns[at]?.label ?? ""}`, value: cell[0] ?? 0 })),
    )
    .reduce((one, other) => (other.value > one.value ? other : one), { words: "", value: 0 });
  const each = Math.max(1, Math.ceil(columns.length / (isPart ? 4 : 12)));
  const wide = isPart ? 10 : 14;
  return (
    <figure
      aria-label={`Dots: ${shown.measures[0]?.label ?? ""}`}
      className={isPart ? "" : "overflow-x-auto rounded-card border border-line bg-sheet px-3 py-2"}
    >
      <figcaption className="text-[13px] text-ink-2">
        most {busiest.words}: {said(busiest.value, scale)} {scale.unit}
      </figcaption>
      <div
        className="mt-2 grid items-center"
        style={{ gridTemplateColumns: `minmax(${isPart ? 34 : 64}px, auto) repeat(${columns.length}, minmax(${isPart ? 0 : 24}px, 1fr))` }}
      >
        {rows.map((row) => (
          <div key={String(row.path[0]?.key)} className="contents">
            <span className="pr-2 text-[13px]">{short(row.path[0]?.label ?? "all", definition.rows[0]?.by ?? "")}</span>
            {columns.map((column, at) => {
              const value = row.cells[at]?.[0] ?? 0;
              const share = value / most;
              const words = `${row.path[0]?.label ?? "all"} × ${column.label}`;
              const dot = (
                <span
                  className={`block rounded-full ${share > 0.5 ? "bg-sea" : share > 0.15 ? "bg-ink-3" : "bg-sea-2"}`}
                  style={{ width: 4 + wide * Math.sqrt(share), height: 4 + wide * Math.sqrt(share) }}
                />
              );
              if (isPart)
                return (
                  <span key={String(column.key)} className="grid h-[24px] place-items-center" title={`${words}: ${said(value, scale)}`}>
                    {dot}
                  </span>
                );
              return (
                <button
                  key={String(column.key)}
                  type="button"
                  disabled={value === 0}
                  className="grid h-[30px] min-w-[24px] place-items-center rounded-small hover:bg-sea-3"
                  title={`${words}: ${said(value, scale)}`}
                  aria-label={`${words}: ${said(value, scale)}`}
                  onClick={() => onCell?.({ path: row.path.map((one) => one.key), column: column.key, words })}
                >
                  {dot}
                </button>
              );
            })}
          </div>
        ))}
        <span />
        {columns.map((column, at) => (
          <span key={String(column.key)} className="overflow-visible whitespace-nowrap text-[12px] text-ink-2">
            {at % each === 0 ? column.label : ""}
          </span>
        ))}
      </div>
    </figure>
  );
}
