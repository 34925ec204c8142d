import { changeWords, type Definition, OPEN_AT_END, said, scalesOf, type Shown } from "./report";

/** The whole in a line: each figure of all records, beside the one before. */
export function ReportFigures({ shown, definition }: { shown: Shown; definition: Definition }) {
  if (definition.event === OPEN_AT_END) return null;
  const scales = scalesOf(shown);
  return (
    <p className="mt-1.5 flex flex-wrap items-baseline gap-x-7 gap-y-1" aria-label="Of all">
      {shown.measures.map((one, index) => {
        const scale = scales[index];
        const value = shown.table.total[index];
        if (!scale) return null;
        const before = shown.before?.total[index];
        const unit = scale.unit === "money" || scale.unit === "" ? "" : ` ${scale.unit}`;
        return (
          <span key={one.of + one.way}>
            <b className="text-[20px] tabular-nums">{said(value, scale) || "–"}</b>
            <span className="text-ink-2">
              {unit} {one.label === "count" ? definition.event : one.label}
              {before !== undefined && before !== null
                ? `, ${changeWords(value, before, one.unit)}${changeWords(value, before, one.unit) === "as before" ? "" : ` than ${said(before, scale)}${unit}`}`
                : ""}
            </span>
          </span>
        );
      })}
      {shown.span.until_s < shown.span.to_s && shown.before ? (
        <span className="text-[13px] text-ink-2">both up to the same moment</span>
      ) : null}
    </p>
  );
}
