import { useQuery } from "@tanstack/react-query";
import { api, ok } from "../api/client";

export function useChoices() {
  const { data } = useQuery({ queryKey: ["choices"], queryFn: () => ok(api.GET("/api/choices")), staleTime: 60_000 });
  return data;
}
