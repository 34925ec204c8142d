import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, useLocation } from "react-router";
import { api, ok } from "../../api/client";
import { useCoarseNow } from "../../parts/hooks";
import { span } from "../../parts/time";
import { onTouched } from "../../shell/live";

/** Across every page of the desk: what runs, and the way into its room. */
export function Running() {
  const now = useCoarseNow();
  const queries = useQueryClient();
  const { pathname } = useLocation();
  const { data } = useQuery({
    queryKey: ["majors"],
    queryFn: () => ok(api.GET("/api/majors")),
    staleTime: 60_000,
    refetchInterval: 300_000,
  });
  useEffect(
    () =>
      onTouched((tickets, news) => {
        const isNews = news
          ? [...news.values()].some((one) => (one.kinds ?? [one.kind]).some((kind) => WORTH.has(kind)))
          : tickets === null;
        if (isNews) void queries.invalidateQueries({ queryKey: ["majors"] });
      }),
    [queries],
  );
  const running = (data ?? []).filter((one) => one.stood_down_s === null && pathname !== `/desk/rooms/${one.id}`);
  if (running.length === 0) return null;
  return (
    <aside aria-label="Running major incidents" className="flex flex-wrap gap-x-5 border-b border-rust bg-rust-2 px-4 py-1">
      {running.map((one) => (
        <Link key={one.id} to={`/desk/rooms/${one.id}`} className="min-h-[24px] hover:underline">
          <b>
            {one.is_drill ? "Drill: " : ""}
            {one.call_sign}
          </b>{" "}
          {one.title}, for {span(now - one.declared_s)}
        </Link>
      ))}
    </aside>
  );
}

const WORTH = new Set(["declared", "stood down", "declared again", "reviewed", "asked in", "shown out"]);
