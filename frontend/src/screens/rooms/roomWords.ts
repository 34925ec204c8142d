import type { components } from "../../api/schema";
import { span } from "../../parts/time";

export type Room = components["schemas"]["RoomShape"];
export type Audience = components["schemas"]["HearersShape"];
export type Figure = components["schemas"]["FigureOfMajorShape"];

/** How an audience stands: when it hears next, or by how much it waits already. */
export function dueOf(audience: Audience, now: number): { words: string; isLate: boolean } {
  if (audience.due_s === null) return { words: "no further update is due", isLate: false };
  const left = audience.due_s - now;
  if (left < 0) return { words: `${span(-left)} late`, isLate: true };
  return { words: `in ${span(left)}`, isLate: false };
}

/** The audience that hears next; nothing when none is due. */
export function nextAudience(audiences: Audience[]): Audience | undefined {
  return audiences.filter((one) => one.due_s !== null).sort((a, b) => (a.due_s ?? 0) - (b.due_s ?? 0))[0];
}

export function figureOf(room: Room, name: string): Figure | undefined {
  return room.figures.find((one) => one.name === name);
}

/** The newest version of each file, with how many older ones there are. */
export function newestFiles(files: Room["files"]): { file: Room["files"][number]; older: Room["files"] }[] {
  const byPlace = new Map<string, Room["files"]>();
  for (const file of files) {
    const place = `${file.channel}/${file.folder}/${file.name}`;
    byPlace.set(place, [...(byPlace.get(place) ?? []), file]);
  }
  return [...byPlace.values()].map((versions) => {
    const sorted = [...versions].sort((a, b) => b.version - a.version);
    return { file: sorted[0] as Room["files"][number], older: sorted.slice(1) };
  });
}

export function fileSize(bytes: number): string {
  if (bytes < 1024) return `${bytes} B`;
  return bytes < 1024 * 1024 ? `${Math.round(bytes / 1024)} kB` : `${(bytes / 1024 / 1024).toFixed(1)} MB`;
}

/** Whether a file can be shown where it stands. */
export function isPicture(name: string): boolean {
  return /\.(png|jpe?g|gif|webp)$/i.test(name);
}

export function fileLink(number: number, file: number): string {
  return `/api/rooms/${number}/files/${file}`;
}

/** Parts of a text between names that are called with an @, for setting those apart. */
export function mentions(text: string, names: string[]): { text: string; isName: boolean }[] {
  const known = names.flatMap((name) => [name, name.split(" ")[0] ?? name]).sort((a, b) => b.length - a.length);
  if (known.length === 0) return [{ text, isName: false }];
  const pattern = new RegExp(`(@(?:${known.map((name) => name.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")).join("|")}))(?![\\w])`, "gi");
  return text
    .split(pattern)
    .filter((part) => part !== "")
    .map((part) => ({ text: part, isName: part.startsWith("@") && known.some((name) => `@${name}`.toLowerCase() === part.toLowerCase()) }));
}
