/** What the list of a section searches, groups and sorts by. */
export interface Listing<T> {
  nameOf: (one: T) => string;
  groupOf?: ((one: T) => string) | undefined;
  wordsOf?: ((one: T) => string) | undefined;
  /** Sorted by this; in the order they have when it is left out. */
  sortOf?: ((one: T) => string) | undefined;
  isDown?: boolean | undefined;
}

export interface EntryGroup<T> {
  name: string;
  entries: T[];
}

const fold = (text: string) => text.normalize("NFKD").replace(/\p{M}/gu, "").toLowerCase();
const compare = new Intl.Collator("en-GB", { numeric: true }).compare;

/**
 * The entries that have all the words, by group.
 *
 * Groups come by name where entries are sorted, else in the order in which they are met; what has no group comes last.
 */
export function listed<T>(all: T[], words: string, listing: Listing<T>): EntryGroup<T>[] {
  const wanted = fold(words).split(/\s+/).filter(Boolean);
  const groups = new Map<string, T[]>();
  for (const one of all) {
    const name = listing.groupOf?.(one) ?? "";
    const text = fold([listing.nameOf(one), listing.wordsOf?.(one), name].filter(Boolean).join(" "));
    if (!wanted.every((word) => text.includes(word))) continue;
    groups.set(name, [...(groups.get(name) ?? []), one]);
  }
  const found = [...groups].map(([name, entries]) => ({ name, entries }));
  const { sortOf } = listing;
  if (!sortOf) return found;
  const turn = listing.isDown ? -1 : 1;
  for (const group of found) {
    group.entries.sort((one, other) => turn * compare(sortOf(one), sortOf(other)) || compare(listing.nameOf(one), listing.nameOf(other)));
  }
  return found.sort((one, other) => Number(one.name === "") - Number(other.name === "") || compare(one.name, other.name));
}
