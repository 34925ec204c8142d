import { keepPreviousData, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { heedServerTime, useNow } from "../../parts/hooks";
import { Reader } from "../../parts/Reader";
import { TicketTable } from "../../parts/TicketTable";
import { Button, Empty, ErrorNote, Loading } from "../../parts/ui";
import { useListKeys } from "../../parts/useListKeys";
import { useSession } from "../../shell/session";
import type { Leaf } from "../../parts/condition/tree";
import { type ListState, readState, toCondition, VIEWS, writeState } from "./filter";
import { SentenceFilter } from "./SentenceFilter";

const FIGURES: { key: "late" | "due_soon" | "nobodys" | "unread" | "answered"; label: string; leaf: (now: number) => Leaf }[] = [
  { key: "late", label: "late", leaf: () => ({ field: "late since", op: "in the last", value: 365 * 86_400 }) },
  { key: "due_soon", label: "due this hour", leaf: () => ({ field: "due", op: "in the next", value: 3600 }) },
  { key: "nobodys", label: "nobody's", leaf: () => ({ field: "holder", op: "is empty" }) },
  { key: "unread", label: "unread", leaf: () => ({ field: "unread", op: "is", value: true }) },
  { key: "answered", label: "answered", leaf: () => ({ field: "answered", op: "is", value: true }) },
];

/** All work in one list, with a filter that reads as a sentence. */
export function QueuePage() {
  const { me } = useSession();
  const [params, setParams] = useSearchParams();
  const [cursor, setCursor] = useState<number | null>(null);
  const [wantsTotal, setWantsTotal] = useState("");
  const now = useNow();
  const state = readState(params);
  const filter = toCondition(state.leaves);
  const open = params.get("open") ? +(params.get("open") ?? "") : null;

  const list = useInfiniteQuery({
    queryKey: ["tickets", filter, state.sort, state.descending],
    queryFn: async ({ pageParam }) => {
      const page = await ok(
        api.GET("/api/tickets", {
          params: { query: { filter, sort: state.sort as "due", descending: state.descending, cursor: pageParam } },
        }),
      );
      heedServerTime(page.now_s);
      return page;
    },
    initialPageParam: "",
    getNextPageParam: (page) => page.next_cursor ?? undefined,
    placeholderData: keepPreviousData,
  });
  const isTotalWanted = wantsTotal === filter;
  const figures = useQuery({
    queryKey: ["figures", filter, isTotalWanted],
    queryFn: () => ok(api.GET("/api/tickets/figures", { params: { query: { filter, total: isTotalWanted } } })),
    placeholderData: keepPreviousData,
  });
  const rows = list.data?.pages.flatMap((page) => page.rows) ?? [];
  const change = (next: ListState, replace = false) => {
    const target = writeState(params, next);
    setParams(target, { replace, preventScrollReset: false });
  };
  const setOpen = (number: number | null) => {
    const next = new URLSearchParams(params);
    if (number === null) next.delete("open");
    else next.set("open", String(number));
    setParams(next, { replace: open !== null, preventScrollReset: true });
  };
  useListKeys({ rows, open, setOpen, cursor, setCursor });

  return (
    <div className={`px-[18px] pb-10 pt-3 max-[600px]:px-3 ${open !== null ? "mr-[372px] max-[900px]:mr-0" : ""}`}>
      <h1 className="sr-only">Queue</h1>
      <div className="mb-1.5 flex flex-wrap gap-1" role="group" aria-label="Views">
        {VIEWS.map((view) => {
          const isOn = JSON.stringify(view.leaves) === JSON.stringify(state.leaves);
          return (
            <button
              key={view.name}
              type="button"
              aria-pressed={isOn}
              onClick={() => change({ leaves: view.leaves, sort: view.sort ?? "due", descending: view.descending ?? false })}
              className={`rounded-small border px-2.5 py-1 ${isOn ? "border-line-2 bg-sheet font-bold" : "border-transparent text-ink-2 hover:bg-sheet"}`}
            >
              {view.name}
            </button>
          );
        })}
      </div>
      <SentenceFilter state={state} onChange={change} />
      <div className="mb-2 mt-1.5 flex flex-wrap items-baseline gap-x-5 gap-y-1">
        {FIGURES.map((figure) => {
          const leaf = figure.leaf(now);
          const at = state.leaves.findIndex((old) => JSON.stringify(old) === JSON.stringify(leaf));
          const count = figures.data?.[figure.key] ?? 0;
          return (
            <button
              key={figure.key}
              type="button"
              aria-pressed={at >= 0}
              onClick={() =>
                change({
                  ...state,
                  leaves: at >= 0 ? state.leaves.filter((_, index) => index !== at) : [...state.leaves, leaf],
                })
              }
              className={`border-b border-dotted ${at >= 0 ? "border-ink bg-crown-2" : "border-ink-3"} ${figure.key === "late" && count > 0 ? "text-rust" : "text-ink-2"}`}
            >
              <b className="text-[17px]">{count}</b> {figure.label}
            </button>
          );
        })}
        <span className="ml-auto text-ink-2">
          {rows.length} shown ·{" "}
          {isTotalWanted && figures.data?.total !== undefined ? (
            `${figures.data.total.toLocaleString("en-GB")} in all`
          ) : (
            <button type="button" className="why" onClick={() => setWantsTotal(filter)}>
              count all
            </button>
          )}
        </span>
      </div>
      {list.error ? (
        <ErrorNote>
          {sentence(list.error)} <Button onClick={() => void list.refetch()}>Try again</Button>
        </ErrorNote>
      ) : null}
      {list.isPending ? <Loading what="the queue" /> : null}
      {list.data && rows.length === 0 ? (
        <div className="rounded-card border border-line bg-sheet">
          <Empty title="Nothing fits this sentence">Leave a condition out, or choose another view.</Empty>
        </div>
      ) : null}
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
      {list.isFetchingNextPage ? <p role="status" className="py-2 text-ink-2">Reading the next fifty…</p> : null}
      {open !== null ? <Reader number={open} onClose={() => setOpen(null)} /> : null}
    </div>
  );
}
