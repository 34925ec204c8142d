/** Where an entry of the rulebook is edited. */

const ROOM_OF: Record<string, string> = { matrix: "priorities", questions: "priorities" };

function roomOf(section: string): string {
  return ROOM_OF[section] ?? section;
}

export function roomLink(section: string, key: string): string {
  return `/desk/rulebook/${roomOf(section)}${key ? `?open=${encodeURIComponent(key)}` : ""}`;
}
