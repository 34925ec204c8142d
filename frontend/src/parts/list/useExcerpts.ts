import { useQueries } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, ok, type Row } from "../../api/client";
import type { components } from "../../api/schema";
import { useDebounced } from "../hooks";

export type Piece = components["schemas"]["PieceShape"];

const AT_ONCE = 50;

/** Where in each ticket the words that were searched for stand; read for fifty rows at a time. */
export function useExcerpts(rows: Row[], words: string): ReadonlyMap<number, Piece[]> {
  const late = useDebounced(words.trim(), 250);
  const chunks: string[] = [];
  if (late)
    for (let at = 0; at < rows.length; at += AT_ONCE)
      chunks.push(
        rows
          .slice(at, at + AT_ONCE)
          .map((row) => row.id)
          .join(","),
      );
  const found = useQueries({
    queries: chunks.map((ids) => ({
      queryKey: ["excerpts", late, ids],
      queryFn: () => ok(api.GET("/api/excerpts", { params: { query: { ids, q: late } } })),
      staleTime: 60_000,
    })),
    combine: (results) => results.map((one) => one.data),
  });
  return useMemo(() => new Map(found.flatMap((page) => page ?? []).map((one) => [one.id, one.pieces])), [found]);
}
