import { useEffect, useRef } from "react";
import type { components } from "../api/schema";

type Notice = components["schemas"]["NotificationShape"];

const KEY = "gannet-desktop:";

/** Whether this browser can show notifications on the desktop at all. */
export const canShow = typeof Notification !== "undefined";

export function isWanted(person: number): boolean {
  return canShow && Notification.permission === "granted" && localStorage.getItem(`${KEY}${person}`) === "yes";
}

/** Ask the browser for its leave, or stop; says whether they are shown from now on. */
export async function want(person: number, isOn: boolean): Promise<boolean> {
  if (!isOn || !canShow) {
    localStorage.removeItem(`${KEY}${person}`);
    return false;
  }
  const leave = Notification.permission === "default" ? await Notification.requestPermission() : Notification.permission;
  if (leave !== "granted") return false;
  localStorage.setItem(`${KEY}${person}`, "yes");
  return true;
}

/** Which of the rows have come since the last look; nothing of what was there at the first. */
export function newSince(last: number | null, rows: { id: number }[]): { fresh: number[]; last: number } {
  const highest = Math.max(last ?? 0, ...rows.map((row) => row.id));
  return { fresh: last === null ? [] : rows.filter((row) => row.id > last).map((row) => row.id), last: highest };
}

/** Shows what is new on the desktop while Gannet is out of sight. */
export function useDesktopNotices(person: number | undefined, rows: Notice[] | undefined, says: (row: Notice) => string): void {
  const last = useRef<number | null>(null);
  useEffect(() => {
    if (!rows) return;
    const found = newSince(last.current, rows);
    last.current = found.last;
    if (person === undefined || !document.hidden || !isWanted(person)) return;
    for (const row of rows.filter((one) => found.fresh.includes(one.id)).slice(0, 3)) {
      const shown = new Notification(row.ticket_title || row.title, { body: says(row), tag: `gannet-${row.id}` });
      shown.onclick = () => {
        window.focus();
        if (row.ticket) window.location.assign(`/desk/tickets/${row.ticket}`);
        shown.close();
      };
    }
  }, [rows, person, says]);
}
