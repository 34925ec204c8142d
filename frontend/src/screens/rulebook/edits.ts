/** What editing a rulebook needs that is no page: entries, their keys, spans, what counts as changed. */

import { isComplete, type Leaf } from "../../parts/condition/tree";
import type { Document, Entry } from "./data";

export function entriesOf<T extends Entry>(document: Document, section: string): T[] {
  return (document[section] as T[] | undefined) ?? [];
}

/** Whether a condition in it is only begun: it says nothing so far. */
export function hasHalfMade(value: unknown): boolean {
  if (Array.isArray(value)) return value.some(hasHalfMade);
  if (typeof value !== "object" || value === null) return false;
  const leaf = value as { field?: unknown; op?: unknown };
  if (typeof leaf.field === "string" && typeof leaf.op === "string") return !isComplete(value as Leaf);
  return Object.values(value).some(hasHalfMade);
}

/** The same content in one order of keys: the server keeps its own. */
function ordered(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(ordered);
  if (typeof value !== "object" || value === null) return value;
  return Object.fromEntries(
    Object.entries(value)
      .sort(([one], [other]) => (one < other ? -1 : 1))
      .map(([key, one]) => [key, ordered(one)]),
  );
}

/** Whether two contents are one, whatever the order of their keys. */
export function same(first: unknown, second: unknown): boolean {
  return JSON.stringify(ordered(first)) === JSON.stringify(ordered(second));
}

/** An entry as it was typed and is not yet known to be on the server. */
export interface Begun<T> {
  /** What the entry was when the typing began, and what was sent of it since. */
  base: T;
  sent: T[];
  value: T;
  at: number;
}

const KEPT_MS = 24 * 3_600_000;

/** From what an entry that is opened again goes on: what is on the screen, and what it was made from. */
export function resumed<T>(stored: T, begun: Begun<T> | null, now: number): { value: T; base: T } {
  if (begun === null || now - begun.at > KEPT_MS || same(begun.value, stored)) return { value: stored, base: stored };
  // Whether what was sent arrived could not be known any more: either way it was made from that.
  if (same(begun.base, stored) || begun.sent.some((one) => same(one, stored))) return { value: begun.value, base: stored };
  return { value: begun.value, base: begun.base };
}

/** The entry that the address names, else the first; undefined while a new one is on its way. */
export function openEntry<T extends Entry>(all: T[], key: string | null): T | undefined {
  return key === null ? all[0] : all.find((one) => one.key === key);
}

/** A key from a name: "Summer on the islands" becomes "summer-on-the-islands". */
export function keyFrom(name: string, taken: string[], joiner = "-"): string {
  const plain =
    name
      .toLowerCase()
      .normalize("NFD")
      .replace(/\p{M}+/gu, "")
      .replace(/[^a-z0-9]+/g, joiner)
      .replace(/^[-_]+|[-_]+$/g, "")
      .slice(0, 40) || "new";
  let key = plain;
  for (let n = 2; taken.includes(key); n += 1) key = `${plain}${joiner}${n}`;
  return key;
}

/** "2 h", "90 min", "1 h 30", "3 days" as seconds; a day is what a calendar's day is told to be. */
export function readSpan(text: string): number | null {
  const words = text.trim().toLowerCase();
  const found = /^(\d+(?:[.,]\d+)?)\s*(s|sec|m|min|minutes?|h|hours?|hrs?|d|days?)?(?:\s*(\d+)\s*(m|min|minutes?)?)?$/.exec(words);
  if (!found) return null;
  const amount = Number((found[1] ?? "").replace(",", "."));
  const unit = found[2] ?? "min";
  const size = unit.startsWith("s") ? 1 : unit.startsWith("m") ? 60 : unit.startsWith("h") ? 3600 : 86_400;
  const more = found[3] && size === 3600 ? Number(found[3]) * 60 : 0;
  return Math.round(amount * size) + more;
}

export function spanWords(seconds: number): string {
  if (seconds % 60) return `${seconds} s`;
  const minutes = seconds / 60;
  const hours = Math.floor(minutes / 60);
  const left = minutes % 60;
  if (hours === 0 || (hours < 2 && left)) return `${minutes} min`;
  return left ? `${hours} h ${String(left).padStart(2, "0")}` : `${hours} h`;
}
