/** Whether the server answers at all; told by every request, and by the browser. */

let reachable = true;
const listeners = new Set<() => void>();

export function isReachable(): boolean {
  return reachable;
}

export function onReachable(listener: () => void): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

export function noteReach(isThere: boolean): void {
  if (reachable === isThere) return;
  reachable = isThere;
  listeners.forEach((listener) => listener());
}

/** Ask whether the server is there again. */
export async function ping(): Promise<boolean> {
  try {
    const answer = await fetch("/api/session", { cache: "no-store" });
    if (answer.status < 500) noteReach(true);
  } catch {
    noteReach(false);
  }
  return reachable;
}

window.addEventListener("offline", () => noteReach(false));
window.addEventListener("online", () => void ping());
