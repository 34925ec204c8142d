/** What a list shows beside mark, number and title; names of fields, and the horizon. */
export const START_COLUMNS = ["service", "team", "holder", "horizon"];
export const HORIZON = "horizon";
/** Columns that a row carries without being asked for them. */
const IN_ROW = new Set(["service", "team", "holder", "requester", "place", HORIZON]);

const WIDTHS: Record<string, number> = { horizon: 300, service: 130, team: 130, holder: 130, requester: 130 };
const LEAST = 60;
const MOST = 900;
export const TITLE_LEAST = 220;

export function widthOf(name: string, widths: Record<string, number>): number {
  return Math.min(MOST, Math.max(LEAST, widths[name] ?? WIDTHS[name] ?? 120));
}

export function asked(columns: string[]): string {
  return columns.filter((name) => !IN_ROW.has(name)).join(",");
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
