import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, ok, type Row, sentence } from "../../api/client";
import { AxisHead, Track, useCalendars } from "../../parts/Axis";
import { heedServerTime, useNow, useWidth } from "../../parts/hooks";
import { nowAt } from "../../parts/horizon";
import { Markers, Number, PriorityMark } from "../../parts/marks";
import { RowMenu } from "../../parts/list/RowMenu";
import { Reader } from "../../parts/Reader";
import { moveWords, urgencyOf } from "../../parts/state";
import { clockTime } from "../../parts/time";
import { Empty, ErrorNote, Loading } from "../../parts/ui";
import { useListKeys } from "../../parts/useListKeys";
import { useFresh } from "../../shell/live";
import { useSession } from "../../shell/session";
import { Besides } from "./Besides";
import { TeamLookout } from "./TeamLookout";

const ROW_HEIGHT = 47;

const FIGURES: { key: string; label: string; test: (row: Row, now: number) => boolean; alarm?: boolean }[] = [
  { key: "late", label: "Late", test: (row, now) => urgencyOf(row, now) === "late", alarm: true },
  { key: "hour", label: "Due this hour", test: (row, now) => urgencyOf(row, now) === "close" },
  { key: "nobody", label: "Nobody's", test: (row) => row.holder_id === null },
  { key: "answered", label: "Answered", test: (row) => row.is_answered },
];

/** What needs me, soonest first, drawn by when it falls due. */
export function LookoutPage() {
  const { me } = useSession();
  const [params, setParams] = useSearchParams();
  const [cursor, setCursor] = useState<number | null>(null);
  const now = useNow();
  const { data, error } = useQuery({
    queryKey: ["lookout"],
    queryFn: async () => {
      const found = await ok(api.GET("/api/lookout"));
      heedServerTime(found.now_s);
      return found;
    },
    refetchInterval: 60_000,
  });
  const open = params.get("open") ? +(params.get("open") ?? "") : null;
  const team = +(params.get("team") ?? 0);
  const only = FIGURES.find((figure) => figure.key === params.get("only"));
  const set = (name: string, value: string | null, replace: boolean) => {
    const next = new URLSearchParams(params);
    if (value === null) next.delete(name);
    else next.set(name, value);
    setParams(next, { replace, preventScrollReset: true });
  };
  const setOpen = (number: number | null) => set("open", number === null ? null : String(number), open !== null);
  const keep = (rows: Row[]) => (only ? rows.filter((row) => only.test(row, now)) : rows);
  // A target that has just run out moves its row up by itself: the order is by due, now.
  const ours = keep(data?.ours ?? []);
  const others = keep(data?.others ?? []);
  const all = [...(data?.ours ?? []), ...(data?.others ?? [])];
  const [menu, setMenu] = useState<{ number: number; at: { x: number; y: number } } | null>(null);
  useListKeys({
    isOn: !team,
    rows: [...ours, ...others],
    open,
    setOpen,
    cursor,
    setCursor,
    onMenu: (number, at) => setMenu({ number, at }),
  });

  if (error)
    return (
      <div className="p-6">
        <ErrorNote>{sentence(error)}</ErrorNote>
      </div>
    );
  if (!data || !me) return <Loading what="what needs you" />;
  return (
    <div className={`px-[18px] pb-10 pt-4 max-[600px]:px-3 ${open !== null ? "mr-[372px] max-[900px]:mr-0" : ""}`}>
      <div className="mb-2.5 flex flex-wrap items-baseline gap-x-3 gap-y-2">
        <h1 className="text-[21px] font-bold">{greeting(now, me.name)}</h1>
        {data.teams.length > 0 ? (
          <div className="flex flex-wrap gap-1" role="group" aria-label="Whose Lookout">
            {[{ id: 0, name: "Mine" }, ...data.teams].map((one) => (
              <button
                key={one.id}
                type="button"
                aria-pressed={team === one.id}
                className={`min-h-[24px] rounded-small border px-2.5 py-0.5 ${team === one.id ? "border-line-2 bg-sheet font-bold" : "border-transparent text-ink-2 hover:bg-sheet"}`}
                onClick={() => set("team", one.id === 0 ? null : String(one.id), false)}
              >
                {one.name}
              </button>
            ))}
          </div>
        ) : null}
        <div className={`ml-auto flex flex-wrap gap-1.5 ${team ? "hidden" : ""}`}>
          {FIGURES.map((figure) => {
            const count = all.filter((row) => figure.test(row, now)).length;
            const isOn = only?.key === figure.key;
            return (
              <button
                key={figure.key}
                type="button"
                aria-pressed={isOn}
                onClick={() => set("only", isOn ? null : figure.key, true)}
                className={`rounded-full border px-2.5 py-0.5 ${isOn ? "border-ink bg-ink text-sheet" : figure.alarm && count > 0 ? "border-rust/50 bg-rust-2" : "border-line-2 bg-sheet hover:border-ink-3"}`}
              >
                {figure.label} <b>{count}</b>
              </button>
            );
          })}
        </div>
      </div>
      {team ? <TeamLookout team={team} now={now} onOpen={setOpen} /> : null}
      {team ? null : <Besides data={data} now={now} />}
      {team ? null : all.length === 0 ? (
        <div className="rounded-card border border-line bg-sheet">
          <Empty title="Nothing needs you">Held by you there is nothing, and your teams have nothing unassigned.</Empty>
        </div>
      ) : (
        <Horizon
          ours={ours}
          others={others}
          open={open}
          cursor={cursor}
          now={now}
          me={me.id}
          onOpen={setOpen}
          onMenu={(number, at) => setMenu({ number, at })}
          isCut={data.is_cut}
        />
      )}
      {open !== null ? <Reader number={open} onClose={() => setOpen(null)} /> : null}
      {menu ? <RowMenu number={menu.number} at={menu.at} onClose={() => setMenu(null)} onRead={() => setOpen(menu.number)} /> : null}
    </div>
  );
}

function greeting(now: number, name: string): string {
  const hour = +clockTime(now).slice(0, 2);
  const part = hour < 5 ? "night" : hour < 12 ? "morning" : hour < 18 ? "afternoon" : "evening";
  return `Good ${part}, ${name.split(" ")[0]}`;
}

interface HorizonProps {
  ours: Row[];
  others: Row[];
  open: number | null;
  cursor: number | null;
  now: number;
  me: number;
  onOpen: (number: number) => void;
  onMenu: (number: number, at: { x: number; y: number }) => void;
  isCut: boolean;
}

function Horizon({ ours, others, open, cursor, now, me, onOpen, onMenu, isCut }: HorizonProps) {
  const [ref, width] = useWidth<HTMLDivElement>();
  const calendars = useCalendars();
  const fresh = useFresh();
  const groups = [
    { label: "Our move", note: `${ours.length} · soonest first`, rows: ours },
    { label: "Waiting on others", note: `${others.length} · by when they come back`, rows: others },
  ];
  return (
    <div className="overflow-hidden rounded-card border border-b-0 border-line bg-sheet">
      <div className="grid grid-cols-[minmax(270px,56fr)_minmax(0,44fr)] border-b border-line max-[600px]:grid-cols-1">
        <div className="px-3.5 py-1 text-[13px] leading-[18px] text-ink-2">Held by me, or by nobody in my teams</div>
        <div ref={ref} className="h-[26px] max-[600px]:hidden">
          <AxisHead width={width} now={now} />
        </div>
      </div>
      {groups.map((group) => (
        <section key={group.label} aria-label={group.label}>
          <div className="relative grid grid-cols-[minmax(270px,56fr)_minmax(0,44fr)] border-b border-line">
            <h2 className="px-3.5 py-1.5 font-bold">
              {group.label} <span className="ml-1 font-normal text-ink-2">{group.note}</span>
            </h2>
            <div className="relative max-[600px]:hidden">
              <span className="absolute bottom-0 top-0 w-[2px] bg-ink" style={{ left: nowAt * width - 1 }} />
            </div>
          </div>
          {group.rows.length === 0 ? <p className="border-b border-line px-3.5 py-2 text-ink-2">Nothing here.</p> : null}
          <ul>
            {group.rows.map((row) => (
              <li
                key={row.id}
                id={`row-${row.id}`}
                aria-current={row.id === open ? "true" : undefined}
                className={`group relative grid cursor-pointer grid-cols-[minmax(270px,56fr)_minmax(0,44fr)] border-b border-line max-[600px]:grid-cols-1 ${
                  row.id === open
                    ? "bg-sea-3 shadow-[inset_3px_0_0_var(--color-sea)]"
                    : row.id === cursor
                      ? "bg-sea-3/60"
                      : "hover:bg-sea-3/40"
                } ${fresh.has(row.id) ? "glow" : ""}`}
                onClick={(event) => {
                  if (!(event.target instanceof HTMLAnchorElement)) onOpen(row.id);
                }}
                onContextMenu={(event) => {
                  if (event.target instanceof HTMLAnchorElement) return;
                  event.preventDefault();
                  onMenu(row.id, { x: event.clientX, y: event.clientY });
                }}
              >
                <div className="flex min-w-0 items-center gap-3 px-2.5 max-[600px]:py-2" style={{ minHeight: ROW_HEIGHT }}>
                  <PriorityMark priority={row.priority} />
                  <span className="w-[66px] shrink-0">
                    <Number row={row} />
                  </span>
                  <div className="min-w-0">
                    <div className="flex items-center">
                      <Link to={`/desk/tickets/${row.id}`} className="truncate text-[14.5px] font-semibold hover:underline">
                        {row.title}
                      </Link>
                      <span className="shrink-0 whitespace-nowrap">
                        <Markers row={row} me={me} />
                      </span>
                    </div>
                    <div className="truncate text-[13px] text-ink-2">
                      {row.handed_to_id === me && row.handed_why ? (
                        <b className="font-semibold text-ink">handed to you: {row.handed_why} · </b>
                      ) : null}
                      {row.service ?? "no service yet"} · {row.requester}
                      {row.open_tasks > 0 ? ` · ${row.open_tasks} task${row.open_tasks === 1 ? "" : "s"} open` : ""}
                      {row.holder_id === null ? <b className="font-semibold text-rust"> · nobody&apos;s</b> : null}
                      {row.state === "waiting" ? ` · waiting ${moveWords(row, now)}` : ""}
                    </div>
                  </div>
                </div>
                <div className="relative overflow-hidden max-[600px]:h-7">
                  <Track row={row} width={width || 320} height={ROW_HEIGHT} now={now} openSpans={calendars.get(row.calendar)} />
                </div>
              </li>
            ))}
          </ul>
        </section>
      ))}
      {isCut ? <p className="px-3.5 py-2 text-ink-2">Only the first 200 are drawn. The Queue has them all.</p> : null}
    </div>
  );
}
