import { useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { Reader } from "../../parts/Reader";
import { TicketTable } from "../../parts/list/TicketTable";
import { exact } from "../../parts/time";
import { Empty, ErrorNote, Loading } from "../../parts/ui";
import { useListKeys } from "../../parts/useListKeys";
import { useSession } from "../../shell/session";

/** The tickets behind a number of a report: as many as the number said. */
export function BehindPage() {
  const [params, setParams] = useSearchParams();
  const { me } = useSession();
  const [cursor, setCursor] = useState<number | null>(null);
  const open = params.get("open") ? +(params.get("open") ?? "") : null;
  const asked = Object.fromEntries([...params].filter(([key]) => key !== "open" && key !== "log"));
  const list = useInfiniteQuery({
    queryKey: ["behind", JSON.stringify(asked)],
    queryFn: ({ pageParam }) => ok(api.GET("/api/reports/behind", { params: { query: { ...asked, cursor: pageParam } as never } })),
    initialPageParam: "",
    getNextPageParam: (page) => page.next_cursor ?? undefined,
  });
  const rows = list.data?.pages.flatMap((page) => page.rows) ?? [];
  const setOpen = (number: number | null) => {
    const next = new URLSearchParams(params);
    if (number === null) next.delete("open");
    else next.set("open", String(number));
    setParams(next, { replace: open !== null, preventScrollReset: true });
  };
  useListKeys({ rows, open, setOpen, cursor, setCursor });
  return (
    <div className={`px-[18px] pb-10 pt-4 ${open !== null ? "mr-[372px] max-[900px]:mr-0" : ""}`}>
      <Link to="/desk/reports" className="text-sea hover:underline">
        ← Report
      </Link>
      <h1 className="mb-3 mt-1 text-[19px] font-bold">
        {list.data ? `${(list.data.pages[0]?.count ?? 0).toLocaleString("en-GB")} tickets: ` : ""}
        {words(asked)}
      </h1>
      {list.error ? <ErrorNote>{sentence(list.error)}</ErrorNote> : null}
      {list.isPending ? <Loading what="the tickets" /> : null}
      {list.data && rows.length === 0 ? <Empty title="None" /> : null}
      {rows.length > 0 ? (
        <TicketTable
          rows={rows}
          open={open}
          cursor={cursor}
          me={me?.id}
          onOpen={setOpen}
          hasMore={list.hasNextPage && !list.isFetchingNextPage}
          onEnd={() => void list.fetchNextPage()}
        />
      ) : null}
      {open !== null ? <Reader number={open} onClose={() => setOpen(null)} /> : null}
    </div>
  );
}

function words(asked: Record<string, string>): string {
  const parts: string[] = [];
  if (asked.clock) parts.push(`${asked.clock} ${asked.outcome || "met or missed"} ${asked.span ?? ""}`);
  if (asked.age) parts.push(`open, ${asked.age} old`);
  if (asked.open_at_s) parts.push(`open at ${exact(+asked.open_at_s)}`);
  if (asked.priority) parts.push(`P${asked.priority}`);
  if (asked.team) parts.push(asked.team.replaceAll("-", " "));
  return parts.join(", ");
}
