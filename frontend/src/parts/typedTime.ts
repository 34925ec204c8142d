import { DAY, HOUR, instantOfLocal, localInput, MINUTE } from "./time";

const DAYS = ["sunday", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday"];
const MONTHS = ["january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november", "december"];
const UNITS: Record<string, number> = { min: MINUTE, m: MINUTE, h: HOUR, hour: HOUR, d: DAY, day: DAY, w: 7 * DAY, week: 7 * DAY };
/** When only a day is said. */
const MORNING = "09:00";

export type DayOrder = "day first" | "month first";

/** Whether the reader writes 3/4 for the third of April or for the fourth of March. */
export function readersOrder(language: string = typeof navigator === "undefined" ? "en-GB" : navigator.language): DayOrder {
  const [first] = new Intl.DateTimeFormat(language).formatToParts(0).filter((one) => one.type === "day" || one.type === "month");
  return first?.type === "month" ? "month first" : "day first";
}

/** What somebody typed, as a local time (“2026-11-25T09:00”); nothing for nothing; or why it cannot be read. */
export function readTime(typed: string, now: number, order: DayOrder = readersOrder()): { at: string } | { problem: string } {
  const text = typed.trim().toLowerCase().replace(/,/g, " ").replace(/\s+/g, " ");
  if (text === "") return { at: "" };
  if (text === "now") return { at: localInput(now) };
  if (text.startsWith("in ")) return inSpan(text.slice(3), now) ?? unread(typed);
  const iso = /^(\d{4}-\d{2}-\d{2})(?:[t ](\d{1,2}:\d{2}))?$/.exec(text);
  if (iso) return joined(iso[1] ?? "", iso[2] ? clock(iso[2]) : MORNING) ?? unread(typed);
  const { rest, time } = withoutTime(text);
  if (rest === "") {
    if (!time) return unread(typed);
    const today = localInput(now).slice(0, 10);
    const at = `${today}T${time}`;
    // A time that has passed today is tomorrow's.
    return { at: instantOfLocal(at) > now ? at : `${later(today, 1)}T${time}` };
  }
  const day = dayOf(rest, now, order, time);
  return (day ? joined(day, time ?? MORNING) : undefined) ?? unread(typed);
}

function unread(typed: string): { problem: string } {
  return { problem: `“${typed.trim()}” is no time. Write it like “tomorrow 9”, “Fri 14:00”, “in 2 h” or “25 Nov 9:30”.` };
}

function inSpan(words: string, now: number): { at: string } | undefined {
  const parts = [...words.matchAll(/(\d+(?:[.,]\d+)?)\s*([a-z]*)/g)];
  if (
    parts.length === 0 ||
    parts
      .map((one) => one[0])
      .join(" ")
      .replace(/\s/g, "") !== words.replace(/\s/g, "")
  )
    return undefined;
  let seconds = 0;
  let smaller = MINUTE;
  for (const [, amount = "", unit = ""] of parts) {
    // “1 h 30”: what has no unit is of the next smaller one.
    const worth = unit === "" && seconds > 0 ? smaller : UNITS[unit.replace(/(?<=..)s$/, "")];
    if (worth === undefined) return undefined;
    seconds += Number(amount.replace(",", ".")) * worth;
    smaller = worth === DAY ? HOUR : MINUTE;
  }
  return seconds > 0 && seconds < 20 * 366 * DAY ? { at: localInput(now + seconds) } : undefined;
}

/** The time of day at the end or the beginning of what was typed, and the rest. */
function withoutTime(text: string): { rest: string; time: string | undefined } {
  const at = String.raw`(?:at )?(\d{1,2}[:.]\d{2}(?: ?[ap]m)?|\d{1,2} ?[ap]m|\d{1,2} ?h|noon|midnight)`;
  const end = new RegExp(`^(.*?) ?\\b${at}$`).exec(text);
  const found = end && clock(end[2] ?? "");
  // “25.11” is a day, not a time, unless it stands behind one.
  if (end && found && !(end[1] === "" && /^\d{1,2}\.\d{2}$/.test(text))) return { rest: (end[1] ?? "").trim(), time: found };
  const bare = /^(.*\D) (?:at )?(\d{1,2})$/.exec(text) ?? /^()(\d{1,2})$/.exec(text);
  const isMonthDay =
    bare && MONTHS.some((month) => month.startsWith((bare[1] ?? "").trim().split(" ").at(-1) ?? "-") && (bare[1] ?? "").trim().length > 2);
  if (bare && !isMonthDay) {
    const time = clock(bare[2] ?? "");
    if (time) return { rest: (bare[1] ?? "").trim(), time };
  }
  return { rest: text, time: undefined };
}

function clock(text: string): string | undefined {
  if (text === "noon") return "12:00";
  if (text === "midnight") return "00:00";
  const found = /^(\d{1,2})(?:[:.](\d{2}))? ?(am|pm|h)?$/.exec(text);
  if (!found) return undefined;
  let hour = Number(found[1]);
  const minute = Number(found[2] ?? 0);
  if (found[3] === "am" || found[3] === "pm") {
    if (hour < 1 || hour > 12) return undefined;
    hour = (hour % 12) + (found[3] === "pm" ? 12 : 0);
  }
  if (hour > 23 || minute > 59) return undefined;
  return `${String(hour).padStart(2, "0")}:${String(minute).padStart(2, "0")}`;
}

function dayOf(text: string, now: number, order: DayOrder, time: string | undefined): string | undefined {
  const today = localInput(now).slice(0, 10);
  const words = text.replace(/^on /, "").replace(/ at$/, "");
  if (words === "today") return today;
  if (words === "tomorrow" || words === "tmrw") return later(today, 1);
  const named = words.replace(/^next /, "");
  const weekday = named.length >= 2 ? DAYS.findIndex((one) => one.startsWith(named)) : -1;
  if (weekday >= 0) {
    const ahead = (weekday - new Date(`${today}T00:00Z`).getUTCDay() + 7) % 7;
    const isPast = ahead === 0 && instantOfLocal(`${today}T${time ?? MORNING}`) <= now;
    return later(today, ahead === 0 && (isPast || words.startsWith("next ")) ? 7 : ahead);
  }
  const year = Number(today.slice(0, 4));
  const spelt =
    /^(\d{1,2})(?:st|nd|rd|th|\.)? ([a-z]{3,})(?: (\d{4}))?$/.exec(words) ??
    swapped(/^([a-z]{3,}) (\d{1,2})(?:st|nd|rd|th)?(?: (\d{4}))?$/.exec(words));
  if (spelt) {
    const month = MONTHS.findIndex((one) => one.startsWith(spelt[2] ?? "-"));
    return month < 0 ? undefined : ahead(today, spelt[3], year, month + 1, Number(spelt[1]));
  }
  const figures = /^(\d{1,2})[./-](\d{1,2})(?:[./-](\d{4}))?\.?$/.exec(words);
  if (figures) {
    const [one, other] = [Number(figures[1]), Number(figures[2])];
    return order === "month first" ? ahead(today, figures[3], year, one, other) : ahead(today, figures[3], year, other, one);
  }
  return undefined;
}

function swapped(found: RegExpExecArray | null): string[] | null {
  return found && [found[0], found[2] ?? "", found[1] ?? "", found[3] ?? ""];
}

/** A day of a year that was said, else the next one that comes. */
function ahead(today: string, said: string | undefined, year: number, month: number, day: number): string | undefined {
  const make = (of: number) => `${of}-${String(month).padStart(2, "0")}-${String(day).padStart(2, "0")}`;
  if (said) return make(Number(said));
  return make(year) >= today ? make(year) : make(year + 1);
}

function later(day: string, days: number): string {
  return new Date(Date.parse(`${day}T00:00Z`) + days * DAY * 1000).toISOString().slice(0, 10);
}

/** A day and a time as one, if there is such a day. */
function joined(day: string, time: string | undefined): { at: string } | undefined {
  const exists = !Number.isNaN(Date.parse(`${day}T00:00Z`)) && new Date(`${day}T00:00Z`).toISOString().slice(0, 10) === day;
  return exists && time ? { at: `${day}T${time}` } : undefined;
}
