import { useCallback, useState } from "react";
import { draftKey } from "./belongings";

/** An edit that was begun and not saved, kept in this browser for the person who began it; null: none. */
export function useLocalDraft<T>(where: string): [T | null, (value: T | null) => void] {
  const key = draftKey(where);
  const [value, setValue] = useState<T | null>(() => read<T>(key));
  const keep = useCallback(
    (next: T | null) => {
      setValue(next);
      if (next === null) localStorage.removeItem(key);
      else localStorage.setItem(key, JSON.stringify(next));
    },
    [key],
  );
  return [value, keep];
}

function read<T>(key: string): T | null {
  try {
    return JSON.parse(localStorage.getItem(key) ?? "null") as T | null;
  } catch {
    return null;
  }
}
