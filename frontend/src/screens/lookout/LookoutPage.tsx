import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, ok, type Row, sentence } from "../../api/client";
import { useOutlook } from "../../parts/chances";
import { heedServerTime, useNow } from "../../parts/hooks";
import { RowActs, useRowActs } from "../../parts/list/RowActs";
import { Reader } from "../../parts/Reader";
import { urgencyOf } from "../../parts/state";
import { clockTime } from "../../parts/time";
import { Empty, ErrorNote, Loading, Switch } from "../../parts/ui";
import { useListKeys } from "../../parts/useListKeys";
import { useSession } from "../../shell/session";
import { Besides } from "./Besides";
import { type Density, Horizon } from "./Horizon";
import { TeamLookout } from "./TeamLookout";

const FIGURES: { key: string; label: string; test: (row: Row, now: number) => boolean; alarm?: boolean }[] = [
  { key: "late", label: "Overdue", test: (row, now) => urgencyOf(row, now) === "late", alarm: true },
  { key: "hour", label: "Due this hour", test: (row, now) => urgencyOf(row, now) === "close" },
  { key: "nobody", label: "Unassigned", test: (row) => row.holder_id === null },
  { key: "answered", label: "Answered", test: (row) => row.is_answered },
];
const DENSITY = "gannet-rows";

/** What needs me, in the order of work, drawn by when it falls due; a lead's opens on the team. */
export function LookoutPage() {
  const { me } = useSession();
  const [params, setParams] = useSearchParams();
  const [cursor, setCursor] = useState<number | null>(null);
  const [density, setDensity] = useState<Density>(() => (localStorage.getItem(DENSITY) === "two" ? "two" : "one"));
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
  const led = data?.teams.find((one) => one.is_led)?.id ?? 0;
  const team = +(params.get("team") ?? led);
  const ofTeam = useQuery({
    queryKey: ["lookout", team],
    queryFn: async () => {
      const found = await ok(api.GET("/api/lookout/{team}", { params: { path: { team } } }));
      heedServerTime(found.now_s);
      return found;
    },
    refetchInterval: 60_000,
    enabled: team !== 0 && data !== undefined,
  });
  const outlook = useOutlook();
  const open = params.get("open") ? +(params.get("open") ?? "") : null;
  const only = FIGURES.find((figure) => figure.key === params.get("only"));
  const set = (name: string, value: string | null, replace: boolean) => {
    const next = new URLSearchParams(params);
    if (value === null) next.delete(name);
    else next.set(name, value);
    setParams(next, { replace, preventScrollReset: true });
  };
  const setOpen = (number: number | null) => set("open", number === null ? null : String(number), open !== null);
  const keep = (rows: Row[]) => (only ? rows.filter((row) => only.test(row, now)) : rows);
  const work = team ? ofTeam.data : data;
  const ours = keep(work?.ours ?? []);
  const others = keep(work?.others ?? []);
  const all = [...(work?.ours ?? []), ...(work?.others ?? [])];
  const acts = useRowActs();
  useListKeys({
    rows: [...ours, ...others],
    open,
    setOpen,
    cursor,
    setCursor,
    onMenu: acts.showMenu,
    onAct: acts.begin,
  });
  const setRows = (next: Density) => {
    localStorage.setItem(DENSITY, next);
    setDensity(next);
  };

  if (error)
    return (
      <div className="p-6">
        <ErrorNote>{sentence(error)}</ErrorNote>
      </div>
    );
  if (!data || !me) return <Loading what="what needs you" />;
  const teamName = data.teams.find((one) => one.id === team)?.name;
  const horizon = (
    <Horizon
      ours={ours}
      others={others}
      title={team ? `${teamName ?? "The team"}, all that is open` : "Assigned to me, or unassigned in my teams"}
      density={density}
      open={open}
      cursor={cursor}
      now={now}
      me={me.id}
      onOpen={setOpen}
      onMenu={acts.showMenu}
      isCut={work?.is_cut ?? false}
      {...(team ? { onDrag: (row, transfer) => transfer.setData("text/plain", String(row.id)) } : {})}
    />
  );
  return (
    <div className={`px-[18px] pb-10 pt-3 max-[600px]:px-3 ${open !== null ? "mr-[372px] max-[900px]:mr-0" : ""}`}>
      <div className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-2">
        <h1 className="text-[21px] font-bold">{greeting(now, me.name)}</h1>
        {data.teams.length > 0 ? (
          <Switch
            label="Whose Lookout"
            value={String(team)}
            choices={[{ key: "0", name: "Mine" }, ...data.teams.map((one) => ({ key: String(one.id), name: one.name }))]}
            onChoose={(key) => set("team", +key === led ? null : key, false)}
          />
        ) : null}
        <div className="ml-auto flex flex-wrap items-center gap-1.5">
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
          <span className="ml-2 text-[13px] text-ink-2 max-[700px]:hidden" id="rows-label">
            Rows
          </span>
          <span className="max-[700px]:hidden">
            <Switch
              label="Rows"
              value={density}
              choices={[
                { key: "two", name: "Two lines" },
                { key: "one", name: "One line" },
              ]}
              onChoose={(key) => setRows(key as Density)}
            />
          </span>
        </div>
      </div>
      <Besides data={data} now={now} />
      {team ? (
        <TeamLookout
          data={ofTeam.data}
          outlook={outlook.data?.teams.find((one) => one.team === team)}
          error={ofTeam.error}
          now={now}
          rows={[...ours, ...others]}
        >
          {horizon}
        </TeamLookout>
      ) : all.length === 0 ? (
        <div className="rounded-card border border-line bg-sheet">
          <Empty title="Nothing needs you">Nothing is assigned to you, and your teams have nothing unassigned.</Empty>
        </div>
      ) : (
        horizon
      )}
      {open !== null ? <Reader number={open} onClose={() => setOpen(null)} /> : null}
      <RowActs acts={acts} onRead={setOpen} />
    </div>
  );
}

function greeting(now: number, name: string): string {
  const hour = +clockTime(now).slice(0, 2);
  const part = hour < 5 ? "night" : hour < 12 ? "morning" : hour < 18 ? "afternoon" : "evening";
  return `Good ${part}, ${name.split(" ")[0]}`;
}
