import { useInfiniteQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { Link } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { ErrorNote, Loading } from "../../parts/ui";
import { said, scaleOf, scalesOf, type Shown } from "./report";
import type { Cell } from "./ReportTable";

interface PanelProps {
  report: string;
  cell: Cell;
  shown: Shown;
  onClose: () => void;
}

const TO = {
  ticket: (number: string) => `/desk/tickets/${number}`,
  article: (number: string) => `/desk/articles/${number}`,
  item: (key: string) => `/desk/items/${key}`,
};

/** The records of one number, those that weigh most first; all of them open as a list. */
export function CellPanel({ report, cell, shown, onClose }: PanelProps) {
  const close = useRef<HTMLButtonElement>(null);
  useEffect(() => close.current?.focus(), [cell]);
  const query = {
    report,
    path: JSON.stringify(cell.path),
    ...("column" in cell ? { column: JSON.stringify(cell.column) } : {}),
    ...(cell.isBefore ? { before: true } : {}),
    ...(cell.of ? { of: cell.of } : {}),
  };
  const {
    data: pages,
    error,
    fetchNextPage,
    isFetchingNextPage,
  } = useInfiniteQuery({
    queryKey: ["reports", "records", query],
    queryFn: ({ pageParam }) => ok(api.GET("/api/reports/records", { params: { query: { ...query, after: pageParam } } })),
    initialPageParam: 0,
    getNextPageParam: (last, all) => {
      const known = all.reduce((sum, page) => sum + page.rows.length, 0);
      return last.rows.length > 0 && known < last.count ? known : undefined;
    },
    staleTime: 30_000,
    retry: false,
  });
  const data = pages?.pages[0];
  const rows = pages?.pages.flatMap((page) => page.rows) ?? [];
  const scales = scalesOf(shown);
  const most = Math.max(1, ...rows.map((row) => row.value ?? 0));
  const scale = data?.measure ? scaleOf(data.measure.unit === "percent" ? "number" : data.measure.unit, most) : null;
  return (
    <aside
      aria-label="Records of the number"
      className="fixed bottom-0 right-0 top-[42px] z-30 w-[330px] overflow-y-auto border-l border-line-2 bg-sheet px-4 py-3 max-[900px]:w-[min(100vw,380px)]"
      onKeyDown={(event) => {
        if (event.key === "Escape") onClose();
      }}
    >
      <p className="flex items-start gap-2">
        <b className="min-w-0 flex-1 text-[17px] leading-snug">{cell.words}</b>
        <button ref={close} type="button" aria-label="Close" className="min-h-[28px] min-w-[28px] text-[18px]" onClick={onClose}>
          ×
        </button>
      </p>
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {!data && !error ? <Loading what="its records" /> : null}
      {data ? (
        <>
          <p className="text-ink-2">
            <b className="text-ink">{data.count.toLocaleString("en-GB")}</b> {data.count === 1 ? "record" : "records"}
            {shown.measures.map((one, index) => {
              const shownIn = scales[index];
              return one.of === "records" || !shownIn || (data.figures[index] ?? null) === null ? null : (
                <span key={one.of + one.way}>
                  , {one.label}{" "}
                  <b className="text-ink">
                    {said(data.figures[index], shownIn)}
                    {shownIn.unit && shownIn.unit !== "money" ? ` ${shownIn.unit}` : ""}
                  </b>
                </span>
              );
            })}
          </p>
          {data.tree ? (
            <p className="mt-2">
              <Link
                className="inline-flex min-h-[30px] items-center rounded-small border border-line px-2.5 font-semibold hover:bg-sea-3"
                to={`/desk/queue?filter=${encodeURIComponent(JSON.stringify(data.tree))}`}
              >
                Open as a list
              </Link>
            </p>
          ) : null}
          <p className="mt-2 flex border-b border-line text-[13px] text-ink-2">
            <span className="flex-1">{data.measure ? "most first" : "newest first"}</span>
            {data.measure?.unit === "percent" ? "" : (scale?.unit ?? "")}
          </p>
          <ul>
            {rows.map((row) => (
              <li key={row.id} className="border-b border-line py-1">
                <Link to={TO[row.opens](row.on)} className="block truncate hover:underline" title={row.title}>
                  {row.opens === "item" ? null : <span className="font-mono text-[13px]">{row.on}</span>} {row.title}
                </Link>
                {row.says ? <p className="line-clamp-3 text-[13px] text-ink-2">“{row.says}”</p> : null}
                {scale && row.value !== null ? (
                  data.measure?.unit === "percent" ? (
                    <span className="text-[13px] text-ink-2">{row.value === 1 ? "yes" : "no"}</span>
                  ) : (
                    <span className="flex items-center gap-2">
                      <span
                        className="h-[5px] rounded-full bg-sea-2"
                        style={{ width: `${Math.max(1, (row.value / most) * 76)}%` }}
                        aria-hidden="true"
                      />
                      <span className="font-mono text-[13px]">{said(row.value, scale)}</span>
                    </span>
                  )
                ) : null}
              </li>
            ))}
          </ul>
          {data.count > rows.length ? (
            <button type="button" className="min-h-[30px] underline" disabled={isFetchingNextPage} onClick={() => void fetchNextPage()}>
              {isFetchingNextPage ? "Fetching…" : `Show more of ${(data.count - rows.length).toLocaleString("en-GB")}`}
            </button>
          ) : null}
        </>
      ) : null}
    </aside>
  );
}
