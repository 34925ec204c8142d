/** What a list shows beside mark, number and title; names of fields, and the horizon. */
export const START_COLUMNS = ["service", "team", "holder", "horizon"];
export const HORIZON = "horizon";
/** How long ago it was opened: drawn from what every row carries, and ordered by that. */
export const AGE = "age";
/** Columns that a row carries without being asked for them. */
const IN_ROW = new Set(["service", "team", "holder", "requester", "place", HORIZON, AGE]);

const WIDTHS: Record<string, number> = { age: 90, horizon: 300, service: 130, team: 130, holder: 130, requester: 130 };
const LEAST = 60;
const MOST = 900;
export const TITLE_LEAST = 220;

export function widthOf(name: string, widths: Record<string, number>): number {
  return Math.min(MOST, Math.max(LEAST, widths[name] ?? WIDTHS[name] ?? 120));
}

export function asked(columns: string[]): string {
  return columns.filter((name) => !IN_ROW.has(name)).join(",");
}

/** What an export asks for: the age as the moment from which it counts. */
export function exported(columns: string[]): string {
  const named = asked(columns);
  return columns.includes(AGE) ? [named, "opened"].filter(Boolean).join(",") : named;
}

/** The columns with one of them put before another, as when it is dragged there. */
export function placed(columns: string[], name: string, before: string): string[] {
  if (name === before || !columns.includes(name) || !columns.includes(before)) return columns;
  const to = columns.indexOf(before);
  const isLater = columns.indexOf(name) < to;
  const rest = columns.filter((one) => one !== name);
  rest.splice(rest.indexOf(before) + (isLater ? 1 : 0), 0, name);
  return rest;
}

/** The columns that fit a width: the last chosen go first, the horizon stays. */
export function fitting(columns: string[], widths: Record<string, number>, room: number): string[] {
  let left = room - 34 - 84 - TITLE_LEAST - 40;
  const horizon = columns.includes(HORIZON) ? widthOf(HORIZON, widths) : 0;
  left -= Math.min(horizon, 180);
  const shown = new Set<string>(columns.includes(HORIZON) ? [HORIZON] : []);
  // The holder says whose it is: it is the last to go.
  const order = [...columns].sort((one, other) => +(other === "holder") - +(one === "holder"));
  for (const name of order) {
    if (name === HORIZON) continue;
    const wants = widthOf(name, widths) + 8;
    if (wants > left) continue;
    left -= wants;
    shown.add(name);
  }
  return columns.filter((name) => shown.has(name));
}
