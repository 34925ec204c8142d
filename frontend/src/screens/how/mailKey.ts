import { useState } from "react";

export interface MailKey {
  key: string;
  /** What was clicked in the mail, if it offers several answers. */
  score: number;
}

/**
 * The key that a mail's link carries behind the #. It is taken out of the address at once, so
 * that it stands in no history, no bookmark and no screenshot; a reload still has it.
 */
function readMailKey(location: Location, history: History, old: string): MailKey {
  const [key = "", query = ""] = location.hash.slice(1).split("?");
  const given = { key: key || old, score: Number(new URLSearchParams(query || location.search).get("score") ?? 0) || 0 };
  const kept = (history.state as { mailKey?: MailKey } | null)?.mailKey;
  if (!given.key) return kept ?? given;
  history.replaceState({ ...(history.state as object | null), mailKey: given }, "", location.pathname.split("/").slice(0, 2).join("/"));
  return given;
}

/** `old` is the key of a link from before, which stood in the path. */
export function useMailKey(old: string): MailKey {
  const [found] = useState(() => readMailKey(window.location, window.history, old));
  return found;
}
