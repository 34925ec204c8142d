import { useQuery } from "@tanstack/react-query";
import { api, ok } from "../../api/client";

/** Says every few seconds that I am here (and typing); answers with who else is. */
export function usePresence(number: number, typingUntil: React.RefObject<number>): { name: string; is_typing: boolean }[] {
  const { data } = useQuery({
    queryKey: ["presence", number],
    queryFn: () =>
      ok(
        api.POST("/api/tickets/{number}/presence", {
          params: { path: { number }, header: {} as never },
          body: { is_typing: Date.now() < typingUntil.current },
          headers: { "Idempotency-Key": "" },
        }),
      ),
    refetchInterval: 4000,
    retry: false,
  });
  return data ?? [];
}
