/**
 * What was typed into an entry and is not yet known to have reached the server: kept in this
 * browser, so that a reload, a closed tab or a server out of reach loses none of it.
 */

import { draftKey } from "../../parts/belongings";
import type { Begun } from "./edits";

const placeOf = (section: string, key: string) => draftKey(`rulebook:${section}:${key}`);

export function readBegun<T>(section: string, key: string): Begun<T> | null {
  try {
    return JSON.parse(localStorage.getItem(placeOf(section, key)) ?? "null") as Begun<T> | null;
  } catch {
    return null;
  }
}

export function keepBegun<T>(section: string, key: string, begun: Begun<T> | null): void {
  if (begun === null) localStorage.removeItem(placeOf(section, key));
  else localStorage.setItem(placeOf(section, key), JSON.stringify(begun));
}
