import { useId } from "react";
import { Area, Bar, CartesianGrid, ComposedChart, Line, ResponsiveContainer, Tooltip, XAxis, YAxis } from "recharts";
import { DotGrid } from "./DotGrid";
import { besides, type Definition, isFlow, isTimeline, outer, said, scalesOf, type Shown } from "./report";
import { short } from "./labels";
import type { Cell } from "./ReportTable";

interface ChartProps {
  shown: Shown;
  definition: Definition;
  onCell?: ((cell: Cell) => void) | undefined;
  /** A part of a dashboard: lower, without a frame of its own. */
  isPart?: boolean;
}

const FILLS = [
  "var(--color-sea)",
  "var(--color-sea-2)",
  "var(--color-ink-2)",
  "var(--color-line-2)",
  "var(--color-crown)",
  "var(--color-rust)",
];
const MOST_BARS = 60;
const MOST_IN_PART = 8;

/** A report drawn; the table beside it says the same in figures. */
export function ReportChart({ shown, definition, onCell, isPart = false }: ChartProps) {
  const id = useId();
  const draw = definition.draw ?? "bars";
  const scales = scalesOf(shown);
  const first = scales[0];
  if (!first || shown.table.rows.length === 0) return null;
  if (draw === "heat") return <DotGrid shown={shown} definition={definition} onCell={onCell} isPart={isPart} />;
  const isTime = isTimeline(definition);
  // Bands, hours and weekdays are all of one whole: none is left out.
  const isWhole = isTime || Boolean(definition.rows[0]?.by);
  const rows = outer(shown.table).slice(0, isPart && !isWhole ? MOST_IN_PART : MOST_BARS);
  const columns = shown.table.columns;
  const hasSeries = columns.length > 0;
  // What came and went are bars beside one another, and what lay open then is the line.
  const isFlowing = isFlow(definition) && !hasSeries;
  const second = isFlowing ? 2 : shown.measures.length > 1 && (draw === "bars and line" || draw === "lines") ? 1 : null;
  const value = (figures: (number | null)[] | undefined, index: number) => {
    const figure = figures?.[index];
    return figure === null || figure === undefined ? null : figure / (scales[index]?.divide ?? 1);
  };
  const isUpright = isTime || definition.rows[0]?.by !== undefined || draw === "lines" || draw === "bars and line" || rows.length <= 6;
  const data = rows.map((row) => {
    const before = besides(shown, row, isTime);
    return {
      name: short(row.path[0]?.label ?? "all", definition.rows[0]?.by ?? "", isUpright ? Math.max(8, Math.floor(90 / rows.length)) : 26),
      whole: row.path[0]?.label ?? "all",
      path: row.path.map((one) => one.key),
      total: value(row.total, 0),
      line: second === null ? null : value(row.total, second),
      before: before ? value(before.total, 0) : null,
      went: isFlowing ? value(row.total, 1) : null,
      ...Object.fromEntries(columns.map((_, at) => [`c${at}`, value(row.cells[at], 0)])),
    };
  });
  const isStacked = draw === "stacked" || draw === "shares" || (hasSeries && draw === "bars and line");
  const high = isUpright ? (isPart ? 250 : 340) : Math.max(isPart ? 160 : 240, data.length * 26 + 70);
  const unit = first.unit && first.unit !== "money" ? `, ${first.unit}` : "";
  const series = hasSeries
    ? columns.map((column, at) => ({ key: `c${at}`, name: column.label, at }))
    : [
        { key: "total", name: shown.measures[0]?.label ?? "", at: 0 },
        ...(isFlowing ? [{ key: "went", name: shown.measures[1]?.label ?? "", at: 1 }] : []),
      ];
  const hasBefore = shown.before !== null && shown.before !== undefined && draw !== "shares";
  const press = (entry: unknown, key: string) => {
    const bar = (entry as { payload?: (typeof data)[number] }).payload;
    const of = isFlowing ? (key === "went" ? "went" : "came") : undefined;
    if (bar) onCell?.({ path: bar.path, ...(of ? { of } : {}), words: of ? `${of} in ${bar.whole}` : bar.whole });
  };
  const numbers = { tickLine: false, axisLine: false, tick: { fill: "var(--color-ink-2)", fontSize: 12 } } as const;
  const names = {
    dataKey: "name",
    interval: data.length <= 8 ? 0 : "preserveStartEnd",
    tickLine: false,
    tick: { fill: "var(--color-ink)", fontSize: 12 },
  } as const;
  const format = (figure: unknown, at = 0) =>
    typeof figure === "number" ? said(figure * (scales[at]?.divide ?? 1), scales[at] ?? first) : "";
  const fill = (at: number) => (at % FILLS.length > 3 || at >= FILLS.length ? `url(#${id}p${at % 6})` : FILLS[at % FILLS.length]);
  return (
    <figure
      aria-label={`Drawn: ${shown.measures[0]?.label ?? ""}`}
      className={isPart ? "" : "rounded-card border border-line bg-sheet px-2 py-2"}
    >
      <figcaption className="flex flex-wrap items-center gap-x-4 px-2 text-[13px]">
        <b>
          {shown.measures[0]?.label}
          {unit}
        </b>
        {series.length > 1
          ? series.map((one) => (
              <span key={one.key} className="inline-flex items-center gap-1.5">
                <svg width={12} height={12} aria-hidden="true">
                  <rect width={12} height={12} rx={2} fill={fill(one.at) ?? "var(--color-sea)"} />
                </svg>
                {one.name}
              </span>
            ))
          : null}
        {hasBefore ? (
          <span className="inline-flex items-center gap-1.5">
            <span className="inline-block h-[12px] w-[12px] rounded-[2px] border border-ink-2" aria-hidden="true" />
            {definition.against}
          </span>
        ) : null}
        {second !== null ? (
          <span className="ml-auto inline-flex items-center gap-1.5">
            <span className="inline-block w-[18px] border-t-[3px] border-crown" aria-hidden="true" />
            {shown.measures[second]?.label}
            {scales[second]?.unit ? `, ${scales[second].unit}` : ""}
          </span>
        ) : null}
      </figcaption>
      <ResponsiveContainer width="100%" height={high}>
        <ComposedChart
          data={data}
          layout={isUpright ? "horizontal" : "vertical"}
          margin={{ top: 14, right: second === null ? 18 : 2, bottom: 4, left: 2 }}
          stackOffset={draw === "shares" ? "expand" : "none"}
          accessibilityLayer
        >
          <defs>
            {FILLS.map((colour, at) => (
              <pattern key={colour} id={`${id}p${at}`} width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(35)">
                <rect width="6" height="6" fill="var(--color-sheet)" />
                <rect width="3" height="6" fill={colour} />
              </pattern>
            ))}
          </defs>
          <CartesianGrid stroke="var(--color-line)" vertical={!isUpright} horizontal={isUpright} />
          {isUpright ? (
            <>
              <XAxis {...names} axisLine={{ stroke: "var(--color-line-2)" }} />
              <YAxis
                yAxisId="left"
                {...numbers}
                width={52}
                tickFormatter={(figure: number) => (draw === "shares" ? `${Math.round(figure * 100)} %` : figure.toLocaleString("en-GB"))}
              />
              {second === null ? null : (
                <YAxis
                  yAxisId="right"
                  orientation="right"
                  {...numbers}
                  width={48}
                  tickFormatter={(figure: number) => figure.toLocaleString("en-GB")}
                />
              )}
            </>
          ) : (
            <>
              <YAxis yAxisId="left" type="category" {...names} width={150} axisLine={{ stroke: "var(--color-line-2)" }} interval={0} />
              <XAxis
                type="number"
                {...numbers}
                tickFormatter={(figure: number) => (draw === "shares" ? `${Math.round(figure * 100)} %` : figure.toLocaleString("en-GB"))}
              />
            </>
          )}
          <Tooltip
            isAnimationActive={false}
            itemStyle={{ color: "var(--color-ink)" }}
            contentStyle={{
              background: "var(--color-sheet)",
              border: "1px solid var(--color-line-2)",
              borderRadius: 6,
              color: "var(--color-ink)",
            }}
            labelFormatter={(_, shownRows) => (shownRows[0]?.payload as { whole?: string } | undefined)?.whole ?? ""}
            formatter={(figure, name, entry) => [format(figure, entry.dataKey === "line" && second !== null ? second : 0), name]}
          />
          {hasBefore ? (
            <Bar
              yAxisId="left"
              stackId="before"
              dataKey="before"
              name={definition.against ?? "before"}
              fill="transparent"
              stroke="var(--color-ink-2)"
              isAnimationActive={false}
              hide={draw === "lines"}
            />
          ) : null}
          {series.map((one) =>
            draw === "lines" ? (
              <Line
                key={one.key}
                yAxisId="left"
                type="linear"
                dataKey={one.key}
                name={one.name}
                stroke={FILLS[one.at % FILLS.length] ?? "var(--color-sea)"}
                strokeWidth={2.5}
                strokeDasharray={one.at >= FILLS.length ? "5 4" : "0"}
                dot={data.length <= 40}
                isAnimationActive={false}
              />
            ) : draw === "figure" ? (
              <Area
                key={one.key}
                yAxisId="left"
                dataKey={one.key}
                name={one.name}
                fill="var(--color-sea-3)"
                stroke="var(--color-sea)"
                isAnimationActive={false}
              />
            ) : (
              <Bar
                key={one.key}
                yAxisId="left"
                dataKey={one.key}
                name={one.name}
                {...(isStacked ? { stackId: "all" } : {})}
                fill={fill(one.at) ?? "var(--color-sea)"}
                maxBarSize={46}
                isAnimationActive={false}
                className={onCell ? "cursor-pointer" : ""}
                onClick={(entry) => press(entry, one.key)}
                label={
                  series.length === 1 && data.length <= 14 && isUpright
                    ? { position: "top", fontSize: 12, fill: "var(--color-ink)", formatter: (figure: unknown) => format(figure) }
                    : false
                }
              />
            ),
          )}
          {second === null ? null : (
            <Line
              yAxisId="right"
              type="linear"
              dataKey="line"
              name={shown.measures[second]?.label ?? ""}
              stroke="var(--color-crown)"
              strokeWidth={2.5}
              dot={{ r: 4, fill: "var(--color-crown)" }}
              isAnimationActive={false}
            />
          )}
        </ComposedChart>
      </ResponsiveContainer>
      {outer(shown.table).length > rows.length ? (
        <p className="px-2 text-[13px] text-ink-2">
          The first {rows.length} of {outer(shown.table).length} rows are drawn.
        </p>
      ) : null}
    </figure>
  );
}
