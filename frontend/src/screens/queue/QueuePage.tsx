import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { useKeys } from "../../parts/hooks";
import { Cards } from "../../parts/list/Cards";
import { asked, exported, placed } from "../../parts/list/columns";
import { MassBar } from "../../parts/list/MassBar";
import { RowActs, useRowActs } from "../../parts/list/RowActs";
import { TicketTable } from "../../parts/list/TicketTable";
import { useExcerpts } from "../../parts/list/useExcerpts";
import { sortedBy, writeSorts } from "../../parts/list/types";
import { useChosen } from "../../parts/list/useChosen";
import { useOutlook } from "../../parts/chances";
import { useTicketList } from "../../parts/list/useTicketList";
import { Reader } from "../../parts/Reader";
import { Button, Empty, ErrorNote, Loading, Switch } from "../../parts/ui";
import { useListKeys } from "../../parts/useListKeys";
import { useSession } from "../../shell/session";
import { ExportMenu } from "./ExportMenu";
import { Figures } from "./Figures";
import { ColumnsButton, GroupWords, SentenceFilter, useFields } from "./SentenceFilter";
import { fromBody, isSame, type ListState, readState, SHIPPED, START, toCondition, type ViewBody, writeState } from "./state";
import { useViews, ViewsBar } from "./ViewsBar";

/** All work in one list, with a filter that reads as a sentence. */
export function QueuePage() {
  const { me } = useSession();
  const [params, setParams] = useSearchParams();
  const { views, isRead } = useViews();
  const fields = useFields();
  const [cursor, setCursor] = useState<number | null>(null);
  const [wantsTotal, setWantsTotal] = useState("");
  const first = views.find((view) => view.is_first);
  const wanted = params.get("view");
  const chosenView = wanted ?? (first && !params.has("filter") ? String(first.id) : "open");
  const kept = views.find((view) => String(view.id) === chosenView);
  const shipped = SHIPPED.find((view) => view.key === chosenView);
  const base = useMemo(() => (kept ? fromBody(kept.body as ViewBody) : shipped ? fromBody(shipped.body) : START), [kept, shipped]);
  // A view that is not read yet must not show another list first.
  const isWaiting = !isRead && (wanted === null || shipped === undefined) && !params.has("filter");
  const isUnknown = isRead && wanted !== null && !kept && !shipped;
  const state = readState(params, base);
  const filter = toCondition(state);
  const open = params.get("open") ? +(params.get("open") ?? "") : null;
  const sort = writeSorts(
    state.group && state.sorts[0]?.name !== state.group
      ? [{ name: state.group, isDown: false }, ...state.sorts.filter((one) => one.name !== state.group)]
      : state.sorts,
  );
  const columns = asked(state.group ? [...state.columns, ...(state.columns.includes(state.group) ? [] : [state.group])] : state.columns);
  const list = useTicketList({ filter, sort, columns }, !isWaiting);
  useOutlook();
  const { rows } = list;
  const chosen = useChosen(rows);
  const none = chosen.none;
  useEffect(() => none(), [filter, none]);

  const isTotalWanted = wantsTotal === filter;
  const figures = useQuery({
    queryKey: ["figures", filter, isTotalWanted],
    queryFn: () => ok(api.GET("/api/tickets/figures", { params: { query: { filter, total: isTotalWanted } } })),
    placeholderData: keepPreviousData,
    enabled: !isWaiting,
  });
  const isInstant = fields.find((field) => field.name === state.group)?.type === "instant";
  const groups = useQuery({
    queryKey: ["groups", filter, state.group],
    queryFn: () => ok(api.GET("/api/tickets/groups", { params: { query: { filter, by: state.group } } })),
    enabled: state.group !== "" && !isWaiting && !isInstant && fields.length > 0,
    placeholderData: keepPreviousData,
  });

  const change = (next: ListState, replace = false) => setParams(writeState(params, next, base), { replace, preventScrollReset: true });
  const choose = (key: string) => {
    const next = new URLSearchParams();
    next.set("view", key);
    setParams(next);
  };
  const latest = useRef({ params, setParams });
  latest.current = { params, setParams };
  const setOpen = useCallback((number: number | null) => {
    const { params: old, setParams: set } = latest.current;
    const next = new URLSearchParams(old);
    if (number === null) next.delete("open");
    else next.set("open", String(number));
    set(next, { replace: old.has("open"), preventScrollReset: true });
  }, []);
  const openRow = useCallback(
    (number: number) => {
      setCursor(number);
      setOpen(number);
    },
    [setOpen],
  );
  const [density, setDensity] = useState(() => localStorage.getItem(DENSITY) ?? "one");
  const acts = useRowActs();
  const worksHere = me?.is_on_desk ?? false;
  useListKeys({
    rows,
    open,
    setOpen,
    cursor,
    setCursor,
    ...(worksHere ? { choose: chosen.choose, onMenu: acts.showMenu, onAct: acts.begin, none } : {}),
  });
  const excerpts = useExcerpts(rows, state.words);
  useKeys({ "/": () => document.getElementById("queue-words")?.focus() });

  return (
    <div className={`px-[18px] pb-24 pt-3 max-[600px]:px-3 ${open !== null ? "mr-[372px] max-[900px]:mr-0" : ""}`}>
      <h1 className="sr-only">Queue</h1>
      <ViewsBar chosen={chosenView} state={state} isChanged={!isSame(state, base)} onChoose={choose} />
      {isUnknown ? <ErrorNote>There is no such view, or it is no longer shared with you. This is all open work.</ErrorNote> : null}
      <SentenceFilter state={state} onChange={change} />
      <div className="mb-2 mt-1.5 flex flex-wrap items-center gap-x-5 gap-y-1">
        <Figures counts={figures.data} tree={state.tree} onTree={(tree) => change({ ...state, tree })} />
        <span className="ml-auto flex flex-wrap items-center gap-1.5 text-ink-2">
          {list.isPending ? "reading…" : `${rows.length} shown`} ·{" "}
          {isTotalWanted && figures.data?.total !== undefined ? (
            `${figures.data.total.toLocaleString("en-GB")} in all`
          ) : (
            <button type="button" className="why min-h-[24px]" onClick={() => setWantsTotal(filter)}>
              count all
            </button>
          )}
          {state.group ? null : <GroupWords state={state} fields={fields.filter((field) => field.type !== "words")} onChange={change} />}
          {state.form === "list" ? (
            <ColumnsButton state={state} onChange={change}>
              <p className="mb-2 flex items-center justify-between border-b border-line pb-2">
                Lines of a row
                <Switch
                  label="Lines of a row"
                  value={density}
                  choices={[
                    { key: "one", name: "One" },
                    { key: "two", name: "Two" },
                  ]}
                  onChoose={(key) => {
                    localStorage.setItem(DENSITY, key);
                    setDensity(key);
                  }}
                />
              </p>
            </ColumnsButton>
          ) : null}
          <Button
            aria-pressed={state.form === "cards"}
            onClick={() => change({ ...state, form: state.form === "cards" ? "list" : "cards" })}
          >
            {state.form === "cards" ? "As a list" : "As cards"}
          </Button>
          <ExportMenu filter={filter} sort={sort} columns={exported(state.columns)} />
        </span>
      </div>
      {list.isCapped ? (
        <p className="mb-2 text-ink-2">So many have these words that only the newest 20,000 of them are looked through. Add a word.</p>
      ) : null}
      {list.fresh.length > 0 ? (
        <p className="mb-2">
          <Button tone="sea" onClick={list.readAgain}>
            {list.fresh.length === 1 ? "1 more belongs here now" : `${list.fresh.length} more belong here now`}: show
          </Button>
        </p>
      ) : null}
      {list.error ? (
        <ErrorNote>
          {sentence(list.error)} <Button onClick={list.readAgain}>Try again</Button>
        </ErrorNote>
      ) : null}
      {list.isPending && !list.error ? <Loading what="the queue" /> : null}
      {!list.isPending && rows.length === 0 && !list.error ? (
        <div className="rounded-card border border-line bg-sheet">
          <Empty title="Nothing fits this sentence">Leave a condition out, or choose another view.</Empty>
        </div>
      ) : null}
      {rows.length > 0 && state.form === "cards" ? (
        <Cards
          rows={rows}
          open={open}
          cursor={cursor}
          me={me?.id}
          onOpen={openRow}
          hasMore={list.hasMore && !list.isReading}
          onEnd={list.readMore}
        />
      ) : null}
      {rows.length > 0 && state.form === "list" ? (
        <TicketTable
          rows={rows}
          open={open}
          cursor={cursor}
          me={me?.id}
          onOpen={openRow}
          hasMore={list.hasMore && !list.isReading}
          onEnd={list.readMore}
          columns={state.columns}
          widths={state.widths}
          fields={fields}
          sorts={state.sorts}
          onSort={(name, isMore) => change({ ...state, sorts: sortedBy(state.sorts, name, isMore) })}
          onWidth={(name, width) =>
            change({ ...state, widths: { ...state.widths, [name]: Math.min(900, Math.max(60, Math.round(width))) } }, true)
          }
          isTall={density === "two"}
          excerpts={excerpts}
          onPlace={(name, before) => change({ ...state, columns: placed(state.columns, name, before) })}
          onMove={(name, step) => change({ ...state, columns: moved(state.columns, name, step) })}
          group={state.group}
          {...(groups.data ? { groups: groups.data } : {})}
          gone={list.gone}
          {...(worksHere ? { chosen: chosen.chosen, onChoose: chosen.choose, onMenu: acts.showMenu } : {})}
        />
      ) : null}
      {list.isReading && rows.length > 0 ? (
        <p role="status" className="py-2 text-ink-2">
          Reading the next fifty…
        </p>
      ) : null}
      {open !== null ? <Reader number={open} onClose={() => setOpen(null)} /> : null}
      <RowActs acts={acts} onRead={openRow} />
      <MassBar
        chosen={chosen.chosen}
        shown={rows.length}
        filter={filter}
        hasMore={list.hasMore}
        onAll={() => chosen.chooseAll(rows.map((row) => row.id))}
        onNone={none}
      />
    </div>
  );
}

const DENSITY = "gannet-queue-lines";

function moved(columns: string[], name: string, step: -1 | 1): string[] {
  const at = columns.indexOf(name);
  const to = at + step;
  if (at < 0 || to < 0 || to >= columns.length) return columns;
  const next = [...columns];
  next.splice(at, 1);
  next.splice(to, 0, name);
  return next;
}
