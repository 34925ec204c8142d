export const MINUTE = 60;
export const HOUR = 3600;
export const DAY = 86_400;

let zone = Intl.DateTimeFormat().resolvedOptions().timeZone;

/** The reader's own zone, in which every instant is shown. */
export function setZone(name: string): void {
  zone = name;
}

const formatters = new Map<string, Intl.DateTimeFormat>();

/** Making a formatter takes longer than using it a hundred times: each is made once. */
function formatter(options: Intl.DateTimeFormatOptions): Intl.DateTimeFormat {
  const key = `${zone} ${JSON.stringify(options)}`;
  let found = formatters.get(key);
  if (!found) {
    found = new Intl.DateTimeFormat("en-GB", { timeZone: zone, ...options });
    formatters.set(key, found);
  }
  return found;
}

function format(seconds: number, options: Intl.DateTimeFormatOptions): string {
  return formatter(options).format(seconds * 1000);
}

function dayKey(seconds: number): string {
  return format(seconds, { year: "numeric", month: "2-digit", day: "2-digit" });
}

export function clockTime(seconds: number): string {
  return format(seconds, { hour: "2-digit", minute: "2-digit" });
}

/** The exact instant with its zone, for hovering. */
export function exact(seconds: number): string {
  return format(seconds, {
    weekday: "short",
    day: "numeric",
    month: "short",
    year: "numeric",
    hour: "2-digit",
    minute: "2-digit",
    timeZoneName: "short",
  });
}

/** Within a day the time, within a week the weekday, otherwise the date. */
export function when(seconds: number, now: number): string {
  if (dayKey(seconds) === dayKey(now)) return clockTime(seconds);
  if (dayKey(seconds) === dayKey(now + DAY)) return `tomorrow ${clockTime(seconds)}`;
  if (dayKey(seconds) === dayKey(now - DAY)) return `yesterday ${clockTime(seconds)}`;
  if (Math.abs(seconds - now) < 6 * DAY) return format(seconds, { weekday: "short", hour: "2-digit", minute: "2-digit" }).replace(",", "");
  const sameYear = format(seconds, { year: "numeric" }) === format(now, { year: "numeric" });
  return format(seconds, {
    day: "numeric",
    month: "short",
    ...(sameYear ? { hour: "2-digit", minute: "2-digit" } : { year: "numeric" }),
  }).replace(",", "");
}

export function weekday(seconds: number): string {
  return format(seconds, { weekday: "short" });
}

/** A day in full: Monday 30 November. */
export function wholeDay(seconds: number): string {
  return format(seconds, { weekday: "long", day: "numeric", month: "long" });
}

/** A day where there is little room: 17 Dec. */
export function shortDay(seconds: number): string {
  return format(seconds, { day: "numeric", month: "short" });
}

/** A length of time as people say it: 21 min, 1 h 24, 3 days. */
export function span(seconds: number): string {
  const length = Math.abs(Math.round(seconds));
  if (length < MINUTE) return length < 1 ? "0 min" : "under 1 min";
  const minutes = Math.round(length / MINUTE);
  if (minutes < 60) return `${minutes} min`;
  const hours = Math.floor(minutes / 60);
  const rest = minutes % 60;
  if (hours < 48) return rest ? `${hours} h ${String(rest).padStart(2, "0")}` : `${hours} h`;
  const days = Math.floor(hours / 24);
  return hours % 24 ? `${days} d ${hours % 24} h` : `${days} days`;
}

/** The start of the local day that holds an instant, also on a day when the clocks change. */
export function startOfDay(seconds: number): number {
  return instantOfLocal(localInput(seconds).slice(0, 10));
}

/**
 * The instant of a local time ("2026-11-25T09:00") in the reader's own zone, which need
 * not be the machine's. A skipped or doubled hour is read with the offset before it.
 */
export function instantOfLocal(text: string): number {
  const asIfUtc = Date.parse(`${text.length === 10 ? `${text}T00:00` : text}Z`) / 1000;
  const before = offsetAt(asIfUtc - 12 * HOUR);
  const after = offsetAt(asIfUtc + 12 * HOUR);
  const first = asIfUtc - before;
  if (before === after || offsetAt(first) === before) return first;
  const second = asIfUtc - after;
  return offsetAt(second) === after ? second : first;
}

/** A local time as an input of that kind wants it. */
export function localInput(seconds: number): string {
  return new Date((seconds + offsetAt(seconds)) * 1000).toISOString().slice(0, 16);
}

/** How far the reader's zone is ahead of UTC at an instant, in seconds. */
function offsetAt(seconds: number): number {
  const parts = new Intl.DateTimeFormat("en-GB", {
    timeZone: zone,
    hourCycle: "h23",
    year: "numeric",
    month: "2-digit",
    day: "2-digit",
    hour: "2-digit",
    minute: "2-digit",
    second: "2-digit",
  }).formatToParts(seconds * 1000);
  const read = Object.fromEntries(parts.map((part) => [part.type, Number(part.value)]));
  const { year = 0, month = 1, day = 1, hour = 0, minute = 0, second = 0 } = read;
  return Date.UTC(year, month - 1, day, hour, minute, second) / 1000 - Math.floor(seconds);
}
