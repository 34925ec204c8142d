export interface Sort {
  name: string;
  isDown: boolean;
}

export interface Group {
  value?: unknown;
  count: number;
}

export function readSorts(text: string): Sort[] {
  const sorts = text
    .split(",")
    .filter(Boolean)
    .map((word) => (word.startsWith("-") ? { name: word.slice(1), isDown: true } : { name: word, isDown: false }));
  return sorts.length > 0 ? sorts : [{ name: "turn", isDown: false }];
}

export function writeSorts(sorts: Sort[]): string {
  return sorts.map((sort) => (sort.isDown ? `-${sort.name}` : sort.name)).join(",");
}

/** The order after a click on a column: by it alone, the other way round, or by it as well. */
export function sortedBy(sorts: Sort[], name: string, isMore: boolean): Sort[] {
  const at = sorts.findIndex((sort) => sort.name === name);
  if (isMore) {
    const old = sorts[at];
    // Nothing after the order of work would decide anything.
    if (!old) return [...sorts.filter((sort) => sort.name !== "turn"), { name, isDown: false }].slice(0, 5);
    if (!old.isDown) return sorts.map((sort, index) => (index === at ? { name, isDown: true } : sort));
    return sorts.length > 1 ? sorts.filter((_, index) => index !== at) : [{ name, isDown: false }];
  }
  const only = sorts.length === 1 ? sorts[0] : undefined;
  return [{ name, isDown: only?.name === name ? !only.isDown : false }];
}
