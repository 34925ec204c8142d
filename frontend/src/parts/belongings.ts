/**
 * What this browser keeps of one person: lists that were read, drafts that were begun. The
 * next person at the same computer sees none of it.
 */

const OWNER = "gannet-owner";
const DRAFT = "gannet-draft:";

let owner: number | null = null;
let changes = 0;
const forgetters = new Set<() => void>();
const unsaved = new Map<string, () => Promise<unknown> | void>();
let isLeft = false;

/** Called when what one person had read must go. */
export function onForget(forget: () => void): void {
  forgetters.add(forget);
}

/** Counts the changes of person: an answer to a question of the one before is thrown away. */
export function ownership(): number {
  return changes;
}

/** The key under which a draft of the person who is signed in is kept. */
export function draftKey(where: string): string {
  return `${DRAFT}${owner ?? "nobody"}:${where}`;
}

/** Something typed that is still on its way to the server. */
export function noteUnsaved(where: string, save: (() => Promise<unknown> | void) | null): void {
  if (save) unsaved.set(where, save);
  else unsaved.delete(where);
}

/** Bring to the server what is still on its way there, before somebody leaves. */
export async function saveAll(): Promise<void> {
  await Promise.allSettled([...unsaved.values()].map(async (save) => save()));
  unsaved.clear();
}

/** The page is going: what is sent now must outlive it, and cannot wait for anything. */
export function isLeaving(): boolean {
  return isLeft;
}

window.addEventListener("pagehide", () => {
  isLeft = true;
  void saveAll();
});
window.addEventListener("pageshow", () => {
  isLeft = false;
});

/** From now on the browser belongs to this person; whatever it kept of another goes. */
export function belongTo(person: number | null): void {
  if (owner === person && localStorage.getItem(OWNER) === String(person ?? "")) return;
  const mine = `${DRAFT}${person ?? "nobody"}:`;
  for (const key of Object.keys(localStorage)) if (key.startsWith(DRAFT) && !key.startsWith(mine)) localStorage.removeItem(key);
  localStorage.setItem(OWNER, String(person ?? ""));
  if (owner === person) return;
  owner = person;
  changes += 1;
  unsaved.clear();
  forgetters.forEach((forget) => forget());
}

/** Called when somebody leaves, or another person comes, in another tab. */
export function onChangeElsewhere(listener: () => void): () => void {
  const heed = (event: StorageEvent) => {
    if (event.key === OWNER && event.newValue !== String(owner ?? "")) listener();
  };
  window.addEventListener("storage", heed);
  return () => window.removeEventListener("storage", heed);
}
