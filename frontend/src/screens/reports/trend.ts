import { type Definition, isTimeline, type Shown } from "./report";

interface Point {
  label: string;
  value: number | null;
}

/** How each figure of a report went over its rows, where these are pieces of time; null where not. */
export function trendsOf(shown: Shown, definition: Definition): (Point[] | null)[] {
  const rows = shown.table.rows.filter((row) => row.path.length === 1);
  const isOverTime = isTimeline(definition) && rows.length > 1;
  return shown.measures.map((_, index) => {
    if (!isOverTime) return null;
    const points = rows.map((row) => ({ label: row.path[0]?.label ?? "", value: row.total[index] ?? null }));
    // What is still to come is not known: the way ends where it is.
    while (points.length > 0 && points.at(-1)?.value === null) points.pop();
    return points.length > 1 ? points : null;
  });
}

/** The stretches in which a value is known, one after the other. */
export function runsOf(points: readonly Point[]): { index: number; value: number }[][] {
  const runs: { index: number; value: number }[][] = [];
  points.forEach(({ value }, index) => {
    if (value === null) return;
    const last = runs.at(-1);
    if (last && last.at(-1)?.index === index - 1) last.push({ index, value });
    else runs.push([{ index, value }]);
  });
  return runs;
}
