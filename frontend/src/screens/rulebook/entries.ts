/** What a list of entries sorts and searches by. */
export interface Listed {
  key: string;
  name?: string | undefined;
  group?: string | undefined;
  plain?: string | undefined;
  words?: string | undefined;
  is_on?: boolean | undefined;
}

export interface EntryGroup<T> {
  name: string;
  entries: T[];
}

const fold = (text: string) => text.normalize("NFKD").replace(/\p{M}/gu, "").toLowerCase();

/** The entries that have all the words, in name, purpose or other words; by group, then by name. */
export function listed<T extends Listed>(all: T[], words: string): EntryGroup<T>[] {
  const wanted = fold(words).split(/\s+/).filter(Boolean);
  const groups = new Map<string, T[]>();
  for (const one of all) {
    const text = fold([one.name, one.plain, one.words, one.group].filter(Boolean).join(" "));
    if (!wanted.every((word) => text.includes(word))) continue;
    const name = one.group ?? "";
    groups.set(name, [...(groups.get(name) ?? []), one]);
  }
  const byName = (one: T, other: T) => (one.name ?? one.key).localeCompare(other.name ?? other.key, "en-GB", { numeric: true });
  return [...groups]
    .map(([name, entries]) => ({ name, entries: entries.sort(byName) }))
    .sort((one, other) => one.name.localeCompare(other.name));
}
