import { changeWords, type Definition, OPEN_AT_END, said, type Scale, scalesOf, type Shown } from "./report";
import { runsOf, trendsOf } from "./trend";

/** The figures of a report large enough for a wall; shares on a scale, with a mark where it was before. */
export function BigFigures({ shown, definition }: { shown: Shown; definition: Definition }) {
  const scales = scalesOf(shown);
  const isAtEnd = definition.event === OPEN_AT_END;
  const trends = trendsOf(shown, definition);
  return (
    <div className="flex flex-col gap-3">
      {shown.measures.map((one, index) => {
        const scale = scales[index];
        const trend = trends[index] ?? null;
        // What was open at each end has no total: the last of them is how it stands.
        const value = isAtEnd ? trend?.at(-1)?.value : shown.table.total[index];
        const before = isAtEnd ? null : shown.before?.total[index];
        if (!scale) return null;
        const unit = scale.unit === "money" ? "" : scale.unit;
        const isShare = one.unit === "percent";
        const change = before === undefined || before === null ? "" : changeWords(value, before, one.unit);
        return (
          <div key={one.of + one.way}>
            <p className="flex flex-wrap items-baseline gap-x-2">
              <b className="text-[34px] leading-10 tabular-nums">{said(value, scale) || "–"}</b>
              <span className="font-semibold">
                {unit} {one.label === "count" ? definition.event : one.label}
              </span>
              {isShare || change === "" ? null : (
                <span className="text-[13px] text-ink-2">
                  {change}
                  {change === "as before" ? "" : ` than ${said(before, scale)}${unit ? ` ${unit}` : ""}`}
                </span>
              )}
            </p>
            {isShare && typeof value === "number" ? <ShareScale value={value} before={before ?? null} /> : null}
            {trend ? <Trend points={trend} scale={scale} unit={unit} /> : null}
          </div>
        );
      })}
    </div>
  );
}

interface Point {
  label: string;
  value: number | null;
}

const HEIGHT = 44;

/** How a figure went, piece of time by piece, with its ends said. */
function Trend({ points, scale, unit }: { points: Point[]; scale: Scale; unit: string }) {
  const known = points.flatMap((one) => (one.value === null ? [] : [one.value]));
  const [least, most] = [Math.min(0, ...known), Math.max(...known)];
  const x = (index: number) => (index / (points.length - 1)) * 100;
  const y = (value: number) => HEIGHT - ((value - least) / (most - least || 1)) * HEIGHT;
  const runs = runsOf(points).map((run) => run.map(({ index, value }) => `${x(index)},${y(value)}`).join(" "));
  const [first, last] = [points[0], points.at(-1)];
  const ends = [first, last].map((one) => (one ? `${one.label}: ${said(one.value, scale) || "none"}${unit ? ` ${unit}` : ""}` : ""));
  const top = points.find((one) => one.value === most);
  return (
    <figure className="mt-1.5">
      <svg
        viewBox={`-1 -3 102 ${HEIGHT + 6}`}
        preserveAspectRatio="none"
        className="h-[52px] w-full"
        role="img"
        aria-label={`From ${ends[0]} to ${ends[1]}; most ${said(most, scale)} in ${top?.label ?? ""}.`}
      >
        <line x1="0" x2="100" y1={y(0)} y2={y(0)} stroke="var(--color-line)" vectorEffect="non-scaling-stroke" />
        {runs.map((run) => (
          <polyline
            key={run}
            points={run.includes(" ") ? run : `${run} ${run}`}
            fill="none"
            stroke="var(--color-sea)"
            strokeWidth="2.5"
            strokeLinecap="round"
            strokeLinejoin="round"
            vectorEffect="non-scaling-stroke"
          />
        ))}
      </svg>
      <figcaption className="flex justify-between gap-3 text-[12px] text-ink-2" aria-hidden="true">
        <span>{ends[0]}</span>
        <span className="text-right">{ends[1]}</span>
      </figcaption>
    </figure>
  );
}

const WIDTH = 100;

/** A share on a scale whose beginning is said, with a mark where it was before. */
function ShareScale({ value, before }: { value: number; before: number | null }) {
  const least = Math.max(0, Math.floor((Math.min(value, before ?? value) - 8) / 10) * 10);
  const at = (percent: number) => ((percent - least) / (100 - least)) * WIDTH;
  const ticks = [least, Math.round((least + 100) / 2), 100];
  const isWorse = before !== null && value < before;
  return (
    <div className="px-2">
      <div className="relative mt-[22px] h-[8px] rounded bg-line" aria-hidden="true">
        {before === null ? null : (
          <>
            <span
              className={`absolute h-full ${isWorse ? "bg-crown" : "bg-sea-2"}`}
              style={{ left: `${at(Math.min(value, before))}%`, width: `${Math.abs(at(value) - at(before))}%` }}
            />
            <span className="absolute -top-[5px] h-[18px] w-[3px] -translate-x-1/2 bg-ink" style={{ left: `${at(before)}%` }} />
            <span
              className="absolute -top-[24px] whitespace-nowrap text-[13px] text-ink-2"
              style={at(before) > 60 ? { right: `${100 - at(before)}%` } : { left: `${at(before)}%` }}
            >
              before {before.toFixed(1)}
            </span>
          </>
        )}
        <span
          className="absolute -top-[5px] h-[18px] w-[18px] -translate-x-1/2 rounded-full border-2 border-sheet bg-sea"
          style={{ left: `${at(value)}%` }}
        />
      </div>
      <p className="mt-1 flex justify-between text-[12px] text-ink-2">
        {ticks.map((tick) => (
          <span key={tick}>{tick}</span>
        ))}
      </p>
    </div>
  );
}
