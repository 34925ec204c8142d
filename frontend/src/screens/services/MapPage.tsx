import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useSearchParams } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { Finder } from "../../parts/Finder";
import { Button, Empty, ErrorNote, Loading, Switch } from "../../parts/ui";
import { ChoosesFor } from "./ChoosesItem";
import { findNodes, nodeOf } from "./findNodes";
import { MOST_LAID, nearest } from "./layout";
import { MapAside } from "./MapAside";
import { MapDrawing } from "./MapDrawing";
import { StopsList } from "./StopsList";
import { pathSentence, percent, stoppedSentence } from "./words";

const SHOWN = [
  { key: "map", name: "Map" },
  { key: "list", name: "List" },
];

/** “If this stops”: choose one thing or several, see what loses how much, and by which path. */
export function MapPage() {
  const [params, setParams] = useSearchParams();
  const struck = params.getAll("node");
  const unfold = params.getAll("unfold");
  const steps = Number(params.get("steps") ?? 0);
  const isHurt = params.get("hurt") === "1";
  const isList = params.get("as") === "list";
  const forRecord = /^\d+$/.test(params.get("for") ?? "") ? Number(params.get("for")) : null;
  const [explained, setExplained] = useState<string | null>(null);
  const change = (edit: (next: URLSearchParams) => void, replace = false) => {
    const next = new URLSearchParams(params);
    edit(next);
    setParams(next, { replace });
  };
  const set = (name: string, values: string[], replace = false) =>
    change((next) => {
      next.delete(name);
      for (const value of values) next.append(name, value);
    }, replace);
  const around = steps > 0 ? struck.at(-1) : undefined;
  const map = useQuery({
    queryKey: ["map", unfold, around, steps],
    queryFn: () => ok(api.GET("/api/estate/map", { params: { query: { unfold, ...(around ? { around, steps } : {}) } } })),
    placeholderData: keepPreviousData,
  });
  const stops = useQuery({
    queryKey: ["stops", struck],
    queryFn: () => ok(api.GET("/api/estate/map/stops", { params: { query: { node: struck } } })),
    enabled: struck.length > 0,
    placeholderData: keepPreviousData,
  });
  const hurt = useQuery({ queryKey: ["hurt"], queryFn: () => ok(api.GET("/api/estate/map/hurt")), enabled: isHurt && struck.length === 0 });
  const found = struck.length > 0 ? stops.data : undefined;
  const reach = useMemo(() => {
    if (found) {
      const shares = new Map(found.affected.map((one) => [one.id, one.share]));
      // What is folded loses as much as the one of it that loses most.
      for (const { fold, share } of found.affected) if (fold) shares.set(fold, Math.max(share, shares.get(fold) ?? 0));
      return shares;
    }
    if (isHurt && hurt.data) return new Map(Object.entries(hurt.data.reach));
    return new Map<string, number>();
  }, [found, isHurt, hurt.data]);
  const drawn = useMemo(() => {
    if (!map.data || !isHurt) return map.data;
    const kept = map.data.nodes.filter((node) => reach.has(node.id) || struck.includes(node.id));
    const names = new Set(kept.map((node) => node.id));
    return { ...map.data, nodes: kept, edges: map.data.edges.filter((edge) => names.has(edge.from) && names.has(edge.to)) };
  }, [map.data, isHurt, reach, struck]);
  const looked = useMemo(() => (drawn ? nearest(drawn, struck, MOST_LAID) : undefined), [drawn, struck.join(" ")]); // eslint-disable-line react-hooks/exhaustive-deps
  const leftOut = (drawn?.nodes.length ?? 0) - (looked?.nodes.length ?? 0);
  const strike = (node: string, isAdded: boolean) => {
    setExplained(null);
    if (struck.includes(node))
      set("node", struck.filter((one) => one !== node)); // prettier-ignore
    else set("node", isAdded ? [...struck, node] : [node]);
  };
  const told = found?.affected.find((one) => one.id === explained);
  const path = told ? [told.id, ...told.path.slice(1).map((step) => step.node), struckAt(told.path, struck, found?.struck ?? [])] : [];
  if (map.error || stops.error) return <ErrorNote>{sentence(map.error ?? stops.error)}</ErrorNote>;
  return (
    <div className="grid gap-4 min-[1000px]:grid-cols-[minmax(0,1fr)_330px]">
      <div className="min-w-0">
        {forRecord === null ? null : <ChoosesFor number={forRecord} />}
        <p className="mb-2 flex flex-wrap items-baseline gap-x-2 gap-y-1 text-[17px]">
          {struck.length === 0 ? (
            <span className="text-ink-2">{isHurt ? "What the open P1 and P2 incidents reach now." : "Choose what stops:"}</span>
          ) : (
            <span>If</span>
          )}
          {(found?.struck ?? []).map((one) => (
            <button
              key={one.id}
              type="button"
              className="border-b-2 border-crown font-bold hover:bg-crown-2"
              title="No longer stops"
              onClick={() => strike(one.id, true)}
            >
              {one.name}
              <span className="sr-only"> no longer stops</span>
            </button>
          ))}
          <FindNode onPick={(node) => strike(node, struck.length > 0)} label={struck.length > 0 ? "another…" : "What stops"} />
          {found ? (
            <span>
              {struck.length === 1 ? "stops" : "stop"}, <b>{stoppedSentence(found)}</b>.
              {found.people > 0 ? (
                <span className="text-[14px] text-ink-2"> {found.people.toLocaleString("en-GB")} people use what loses at least half.</span>
              ) : null}
            </span>
          ) : null}
        </p>
        <div className="mb-2 flex flex-wrap items-center gap-2">
          <Switch
            label="Shown as"
            value={isList ? "list" : "map"}
            choices={SHOWN}
            onChoose={(value) => set("as", value === "list" ? ["list"] : [], true)}
          />
          <label className="inline-flex items-center gap-1.5">
            <span className="text-ink-2">near it</span>
            <select
              aria-label="How near"
              className="rounded-small border border-line-2 bg-sheet px-1.5 py-1"
              value={steps}
              disabled={struck.length === 0}
              onChange={(event) => set("steps", event.target.value === "0" ? [] : [event.target.value], true)}
            >
              <option value={0}>everything</option>
              {[1, 2, 3, 4].map((count) => (
                <option key={count} value={count}>
                  {count === 1 ? "1 step" : `${count} steps`}
                </option>
              ))}
            </select>
          </label>
          <label className="inline-flex items-center gap-1.5">
            <input type="checkbox" checked={isHurt} onChange={(event) => set("hurt", event.target.checked ? ["1"] : [], true)} />
            only what is hurt
          </label>
          {unfold.length > 0 ? <Button onClick={() => set("unfold", [], true)}>Fold again</Button> : null}
          {struck.length > 0 ? <Button onClick={() => set("node", [])}>Nothing stops</Button> : null}
          {drawn ? (
            <span className="ml-auto text-[13px] text-ink-2">
              {(looked ?? drawn).nodes.length} drawn · {drawn.folded.toLocaleString("en-GB")} folded
              {leftOut > 0 ? ` · ${leftOut.toLocaleString("en-GB")} farther away` : ""}
            </span>
          ) : null}
        </div>
        {leftOut > 0 && !isList ? (
          <p className="mb-2 rounded-small bg-crown-2 px-3 py-1.5">
            {drawn?.nodes.length.toLocaleString("en-GB")} things are too many for one look: drawn is what lies nearest to{" "}
            {struck.length > 0 ? "what stops" : "the services"}.{" "}
            {struck.length > 0 ? "Choose how near, or walk on to another." : "Choose one thing and walk outward from it."}
          </p>
        ) : null}
        {!drawn ? (
          <Loading what="the map" />
        ) : isList ? (
          <StopsList found={found} />
        ) : drawn.nodes.length === 0 ? (
          <Empty title="Nothing is hurt">No open incident of a high priority names a service or an item.</Empty>
        ) : (
          <MapDrawing
            data={looked ?? drawn}
            struck={struck}
            reach={reach}
            path={path}
            onStrike={strike}
            onUnfold={(fold) => set("unfold", [...unfold, fold], true)}
            onExplain={setExplained}
          />
        )}
        <p className="mt-2 min-h-[34px] rounded-small bg-crown-2 px-3 py-1.5 empty:invisible" aria-live="polite">
          {told ? (
            <>
              <b>
                {told.name} {percent(told.share)}
              </b>
              : {pathSentence(told.path)}.
            </>
          ) : null}
        </p>
        {found?.lost_groups.map((group) => (
          <p key={`${group.name} ${group.group}`} className="mt-1">
            <b>Redundant on paper only:</b> of {group.group} for {group.name}, {group.members.join(" and ")} all fall with{" "}
            <b>{group.causes.join(", ")}</b>.
          </p>
        ))}
        <p className="mt-1 text-[13px] text-ink-2">
          Heavier lines lose more; dashed: one of a group of which one is enough; ≠ otherwise than recorded; Shift adds another; arrow keys
          walk.
        </p>
      </div>
      <MapAside node={struck.at(-1)} forRecord={forRecord} />
    </div>
  );
}

/** The struck node at the end of a path: the one whose name the last step gives. */
function struckAt(path: { on: string }[], struck: string[], named: { id: string; name: string }[]): string {
  const last = path.at(-1)?.on;
  return named.find((one) => one.name === last)?.id ?? struck[0] ?? "";
}

function FindNode({ label, onPick }: { label: string; onPick: (node: string) => void }) {
  const [name, setName] = useState("");
  return (
    <span className="inline-block w-[210px] text-[14px]">
      <Finder
        props={{ "aria-label": label }}
        what="services and items"
        hint={label}
        find={findNodes}
        nothing="Nothing is called that."
        name={name}
        onName={setName}
        onPick={(found) => {
          setName("");
          onPick(nodeOf(found.id));
        }}
      />
    </span>
  );
}
