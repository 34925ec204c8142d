import type { Dashboard, Rows } from "./board";

const FORMAT = "gannet dashboard";
const MOST_BYTES = 200_000;

/** Gives a dashboard as a file: its name and its parts, nothing of what they show. */
export function asFile(dashboard: Dashboard): void {
  const text = JSON.stringify({ format: FORMAT, name: dashboard.name, rows: dashboard.rows }, null, 2);
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type: "application/json" }));
  link.download = `${dashboard.name.replace(/[^\p{L}\p{N} _-]/gu, "").trim() || "dashboard"}.json`;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

/** What a file has of a dashboard; an error in words where it is none. The server checks its parts. */
export async function fromFile(file: Pick<File, "size" | "text">): Promise<{ name: string; rows: Rows }> {
  if (file.size > MOST_BYTES) throw new Error("That file is too large for a dashboard.");
  let read: unknown;
  try {
    read = JSON.parse(await file.text());
  } catch {
    throw new Error("That file is no dashboard: it is no JSON.");
  }
  const found = read as { format?: unknown; name?: unknown; rows?: unknown } | null;
  if (found?.format !== FORMAT || typeof found.name !== "string" || !Array.isArray(found.rows))
    throw new Error("That file is no dashboard.");
  return { name: found.name, rows: found.rows as Rows };
}
