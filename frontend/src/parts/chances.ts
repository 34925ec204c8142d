import { useQuery } from "@tanstack/react-query";
import { useEffect, useSyncExternalStore } from "react";
import { api, ok } from "../api/client";
import type { components } from "../api/schema";

export type TeamOutlook = components["schemas"]["TeamOutlookShape"];

const AGAIN_MS = 60_000;
const PENDING_MS = 3_000;
// From so much on it is said in a row: what is less likely would only be noise.
const WORTH_SAYING = 0.3;

let chances = new Map<number, number>();
const listeners = new Set<() => void>();

function subscribe(listener: () => void): () => void {
  listeners.add(listener);
  return () => {
    listeners.delete(listener);
  };
}

/** The outlook of the teams that somebody reads; rows that are drawn meanwhile say their chance. */
export function useOutlook(isWanted = true) {
  const found = useQuery({
    queryKey: ["outlook"],
    queryFn: () => ok(api.GET("/api/outlook")),
    refetchInterval: (query) => (query.state.data?.is_pending ? PENDING_MS : AGAIN_MS),
    staleTime: AGAIN_MS / 2,
    enabled: isWanted,
  });
  const { data } = found;
  useEffect(() => {
    if (!data) return;
    chances = new Map(data.teams.flatMap((team) => team.due.map((one) => [one.number, one.chance] as const)));
    listeners.forEach((tell) => tell());
  }, [data]);
  return found;
}

/** How likely a ticket misses its next target, where that is worth saying. */
export function useChance(number: number): number | undefined {
  const chance = useSyncExternalStore(subscribe, () => chances.get(number));
  return chance !== undefined && chance >= WORTH_SAYING ? chance : undefined;
}
