export const MINUTE = 60;
export const HOUR = 3600;
export const DAY = 86_400;

let zone = Intl.DateTimeFormat().resolvedOptions().timeZone;

/** The reader's own zone, in which every instant is shown. */
export function setZone(name: string): void {
  zone = name;
}

function format(seconds: number, options: Intl.DateTimeFormatOptions): string {
  return new Intl.DateTimeFormat("en-GB", { timeZone: zone, ...options }).format(seconds * 1000);
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
  if (Math.abs(seconds - now) < 6 * DAY)
    return format(seconds, { weekday: "short", hour: "2-digit", minute: "2-digit" }).replace(",", "");
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

/** The start of the local day that holds an instant, within a minute. */
export function startOfDay(seconds: number): number {
  const [hours, minutes] = clockTime(seconds).split(":").map(Number);
  return seconds - (hours ?? 0) * HOUR - (minutes ?? 0) * MINUTE - (seconds % MINUTE);
}
