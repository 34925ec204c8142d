import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import { partsOf } from "../../parts/condition/tree";
import { Menu, MenuItem } from "../../parts/Menu";
import { PickOne } from "../../parts/picks";
import { Button, Empty, ErrorNote, inputClass, Loading } from "../../parts/ui";
import { type BoardFilter, type Dashboard, filterNote, nameOfCopy, readFilter, type Rows, UNFILTERED, writeFilter } from "./board";
import { CellPanel } from "./CellPanel";
import { DashboardEditor } from "./DashboardEditor";
import { DashboardLinks } from "./DashboardLinks";
import { DashboardPart } from "./DashboardPart";
import { asFile, fromFile } from "./boardFile";
import { Grid } from "./Grid";
import type { Cell } from "./ReportTable";
import { Wall } from "./Wall";

/** Dashboards: reports arranged in rows, for oneself or shared, and as a wall to hang up. */
export function DashboardsPage() {
  const { number } = useParams();
  const [params, setParams] = useSearchParams();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [editing, setEditing] = useState<{ name: string; rows: Rows; isShared: boolean; of: Dashboard | null } | null>(null);
  const [cell, setCell] = useState<{ report: string; cell: Cell } | null>(null);
  const [isBusy, setBusy] = useState(false);
  const [sharing, setSharing] = useState<Dashboard | null>(null);
  const file = useRef<HTMLInputElement>(null);
  const reports = useQuery({ queryKey: ["reports", "list"], queryFn: () => ok(api.GET("/api/reports")), staleTime: 30_000 });
  const list = useQuery({ queryKey: ["reports", "dashboards"], queryFn: () => ok(api.GET("/api/dashboards")), staleTime: 30_000 });
  const teams = useQuery({ queryKey: ["teams"], queryFn: () => ok(api.GET("/api/teams")), staleTime: 300_000 });
  const shown = list.data?.find((one) => String(one.id) === number) ?? (number === undefined ? list.data?.[0] : undefined);
  const filter = readFilter(params);
  const fields = useQuery({ queryKey: ["fields"], queryFn: () => ok(api.GET("/api/fields")), staleTime: 300_000 });
  const report = useQuery({
    queryKey: ["reports", "table", cell?.report ?? ""],
    queryFn: () => ok(api.GET("/api/reports/table", { params: { query: { report: cell?.report ?? "" } } })),
    enabled: cell !== null,
    staleTime: 30_000,
  });
  const readAgain = () => queries.invalidateQueries({ queryKey: ["reports", "dashboards"] });
  const attempt = async (does: () => Promise<void>) => {
    if (isBusy) return;
    setBusy(true);
    try {
      await does();
    } catch (error) {
      toast.error(sentence(error));
    } finally {
      setBusy(false);
    }
  };
  const save = () =>
    attempt(async () => {
      if (!editing) return;
      const body = { name: editing.name, rows: editing.rows, is_shared: editing.isShared };
      const done = editing.of
        ? await ok(
            api.PUT("/api/dashboards/{number}", {
              params: { path: { number: editing.of.id } },
              body: { ...body, version: editing.of.version },
            }),
          )
        : await ok(api.POST("/api/dashboards", { body }));
      await readAgain();
      setEditing(null);
      toast(`“${done.name}” is saved.`);
      void navigate(`/desk/dashboards/${done.id}`);
    });
  const remove = (row: Dashboard) =>
    attempt(async () => {
      await ok(api.DELETE("/api/dashboards/{number}", { params: { path: { number: row.id } } }));
      await readAgain();
      void navigate("/desk/dashboards");
      toast(`“${row.name}” is removed.`, {
        action: {
          label: "Undo",
          onClick: () =>
            void attempt(async () => {
              const body = { name: row.name, rows: row.rows, is_shared: row.is_shared };
              const again = await ok(api.POST("/api/dashboards", { body }));
              await readAgain();
              void navigate(`/desk/dashboards/${again.id}`);
            }),
        },
      });
    });
  const copy = (row: Dashboard) =>
    attempt(async () => {
      const name = nameOfCopy(row.name, list.data?.filter((one) => one.is_mine).map((one) => one.name) ?? []);
      const again = await ok(api.POST("/api/dashboards", { body: { name, rows: row.rows, is_shared: false } }));
      await readAgain();
      void navigate(`/desk/dashboards/${again.id}`);
      toast(`“${again.name}” is yours.`);
    });
  const read = (chosen: File) =>
    attempt(async () => {
      const found = await fromFile(chosen);
      const name = nameOfCopy(found.name, list.data?.filter((one) => one.is_mine).map((one) => one.name) ?? []);
      const made = await ok(api.POST("/api/dashboards", { body: { ...found, name, is_shared: false } }));
      await readAgain();
      void navigate(`/desk/dashboards/${made.id}`);
      toast(`“${made.name}” is imported.`);
    });
  const error = reports.error ?? list.error;
  if (error)
    return (
      <div className="p-6">
        <ErrorNote>{sentence(error)}</ErrorNote>
      </div>
    );
  if (!reports.data || !list.data) return <Loading what="the dashboards" />;
  const narrow = (change: Partial<BoardFilter>) => setParams(writeFilter({ ...filter, ...change }), { replace: true });
  if (shown && params.has("wall"))
    return (
      <Wall dashboard={shown} note={filterNote(filter)} onClose={() => setParams(writeFilter(filter))}>
        <Grid
          rows={shown.rows}
          render={(part) => <DashboardPart part={part} reports={reports.data} filter={filter} isWall onCell={() => undefined} />}
        />
      </Wall>
    );
  return (
    <div className={`px-[18px] pb-12 pt-3 ${cell ? "mr-[344px] max-[900px]:mr-0" : ""}`}>
      <div className="flex flex-wrap items-center gap-2">
        <h1 className="text-[19px] font-bold">
          {editing ? (editing.of ? "Change the dashboard" : "A new dashboard") : (shown?.name ?? "Dashboards")}
        </h1>
        {!editing && list.data.length > 1 ? (
          <PickOne
            label="Dashboard"
            options={list.data.map((one) => ({ key: String(one.id), name: one.is_mine ? one.name : `${one.name}, from ${one.owner}` }))}
            value=""
            placeholder={`${list.data.length} dashboards`}
            isAddition
            onChange={(key) => void navigate(`/desk/dashboards/${key}`)}
          />
        ) : null}
        {!editing && shown ? (
          <span className="text-ink-2">
            for{" "}
            <PickOne
              label="Team"
              options={[{ key: "", name: "all teams" }, ...(teams.data ?? []).map((one) => ({ key: one.name, name: one.name }))]}
              value={filter.team}
              onChange={(team) => narrow({ team })}
            />
            ,{" "}
            <PickOne
              label="Span"
              options={[{ key: "", name: "each in its own span" }, ...reports.data.words.spans.map((key) => ({ key, name: key }))]}
              value={filter.span}
              onChange={(span) => narrow({ span })}
            />
            {filter.where && partsOf(filter.where).parts.length > 0 ? ", where " : " "}
            <ConditionSentence
              fields={(fields.data ?? []).filter((field) => field.type !== "words")}
              tree={filter.where ?? { all: [] }}
              always=""
              first="+ where…"
              onChange={(where) => narrow({ where })}
            />
            {filter.team || filter.span || filter.where ? (
              <button type="button" className="ml-2 min-h-[24px] underline" onClick={() => narrow(UNFILTERED)}>
                all of it
              </button>
            ) : null}
          </span>
        ) : null}
        <span className="ml-auto flex flex-wrap gap-2">
          <Link to="/desk/reports" className="inline-flex h-[30px] items-center px-1 underline">
            Reports
          </Link>
          {!editing && shown ? (
            <Button
              onClick={() => {
                setCell(null);
                setParams({ ...writeFilter(filter), wall: "" });
              }}
            >
              On the wall
            </Button>
          ) : null}
          {!editing && shown ? (
            <Menu label="More">
              <MenuItem onSelect={() => void copy(shown)}>Copy it</MenuItem>
              <MenuItem onSelect={() => asFile(shown)}>Export as a file</MenuItem>
              {shown.is_mine ? <MenuItem onSelect={() => setSharing(shown)}>Links for people without an account…</MenuItem> : null}
              <MenuItem onSelect={() => file.current?.click()}>Import from a file…</MenuItem>
            </Menu>
          ) : null}
          {!editing && shown?.is_mine ? (
            <>
              <Button onClick={() => setEditing({ name: shown.name, rows: shown.rows, isShared: shown.is_shared, of: shown })}>
                Change…
              </Button>
              <Button disabled={isBusy} onClick={() => void remove(shown)}>
                Remove
              </Button>
            </>
          ) : null}
          {editing ? null : (
            <Button tone="sea" onClick={() => setEditing({ name: "", rows: [], isShared: false, of: null })}>
              New dashboard…
            </Button>
          )}
        </span>
      </div>
      {editing ? (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            void save();
          }}
        >
          <p className="mt-2 flex flex-wrap items-center gap-3">
            <input
              autoFocus
              aria-label="Name of the dashboard"
              placeholder="Its name"
              maxLength={80}
              className={`${inputClass} !w-[320px]`}
              value={editing.name}
              onChange={(event) => setEditing({ ...editing, name: event.target.value })}
            />
            <label className="flex min-h-[24px] items-center gap-2">
              <input
                type="checkbox"
                checked={editing.isShared}
                onChange={(event) => setEditing({ ...editing, isShared: event.target.checked })}
              />
              Shared with everybody who reads reports
            </label>
            <Button tone="sea" type="submit" disabled={isBusy || editing.name.trim() === ""}>
              Save
            </Button>
            <Button onClick={() => setEditing(null)}>Cancel</Button>
          </p>
          <DashboardEditor rows={editing.rows} reports={reports.data} onChange={(rows) => setEditing({ ...editing, rows })} />
        </form>
      ) : shown ? (
        <Grid
          rows={shown.rows}
          render={(part) => (
            <DashboardPart
              part={part}
              reports={reports.data}
              filter={filter}
              isWall={false}
              onCell={(of, pressed) => setCell({ report: of, cell: pressed })}
            />
          )}
        />
      ) : (
        <Empty title={number === undefined ? "No dashboard yet" : "There is no such dashboard"}>
          Arrange reports, lists and texts in rows, for yourself or for everybody. One that was exported is{" "}
          <button type="button" className="underline" onClick={() => file.current?.click()}>
            imported from its file
          </button>
          .
        </Empty>
      )}
      <input
        ref={file}
        type="file"
        accept="application/json,.json"
        className="hidden"
        aria-label="A dashboard as a file"
        onChange={(event) => {
          const [chosen] = event.target.files ?? [];
          event.target.value = "";
          if (chosen) void read(chosen);
        }}
      />
      {sharing ? <DashboardLinks dashboard={sharing} onClose={() => setSharing(null)} /> : null}
      {cell && report.data ? <CellPanel report={cell.report} cell={cell.cell} shown={report.data} onClose={() => setCell(null)} /> : null}
    </div>
  );
}
