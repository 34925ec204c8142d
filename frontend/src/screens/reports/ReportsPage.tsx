import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { pruned, saysSomething } from "../../parts/condition/tree";
import { exact } from "../../parts/time";
import { ErrorNote, Loading } from "../../parts/ui";
import { CellPanel } from "./CellPanel";
import { Deliveries } from "./Deliveries";
import { Frozen } from "./Frozen";
import { KeepReport } from "./KeepReport";
import { BLANK, type Definition, readDefinition, type Shown } from "./report";
import { ReportFigures } from "./ReportFigures";
import { ReportSentence } from "./ReportSentence";
import { ReportTabs } from "./ReportTabs";
import { type Cell, ReportTable } from "./ReportTable";

const ReportChart = lazy(() => import("./ReportChart").then((m) => ({ default: m.ReportChart })));

/** What is asked of the server: a condition that is still being put together says nothing. */
function asked(definition: Definition): string {
  return JSON.stringify({ ...definition, where: definition.where && saysSomething(definition.where) ? pruned(definition.where) : null });
}

/** Reports: a sentence that is the report, its table and its drawing; each number opens its records. */
export function ReportsPage() {
  const [params, setParams] = useSearchParams();
  const [cell, setCell] = useState<Cell | null>(null);
  const list = useQuery({ queryKey: ["reports", "list"], queryFn: () => ok(api.GET("/api/reports")), staleTime: 30_000 });
  // A report that comes from a list, or from a blank, is none of those that there are.
  const key = params.get("report") ?? (params.has("as") ? "" : (list.data?.shipped[0]?.key ?? ""));
  const shipped = list.data?.shipped.find((one) => one.key === key);
  const kept = list.data?.kept.find((one) => String(one.id) === key);
  const stored = readDefinition(JSON.stringify((kept ?? shipped)?.definition ?? null));
  const definition = readDefinition(params.get("as")) ?? stored ?? BLANK;
  const isChanged = params.has("as");
  const report = asked(definition);
  const shown = useQuery({
    queryKey: ["reports", "table", report],
    queryFn: () => ok(api.GET("/api/reports/table", { params: { query: { report } } })),
    enabled: list.data !== undefined,
    placeholderData: (before) => before,
    staleTime: 30_000,
    retry: false,
  });
  const open = (next: string) => {
    setCell(null);
    setParams(next === "" ? {} : { report: next });
  };
  const change = (next: Definition) => {
    setCell(null);
    // The first change can be gone back on; those that follow are one with it.
    setParams({ ...(key ? { report: key } : {}), as: JSON.stringify(next) }, { replace: isChanged });
  };
  const blank = () => {
    setCell(null);
    setParams({ as: JSON.stringify(BLANK) });
  };
  if (list.error)
    return (
      <div className="p-6">
        <ErrorNote>{sentence(list.error)}</ErrorNote>
      </div>
    );
  if (!list.data) return <Loading what="the reports" />;
  const about = isChanged ? "" : (kept?.about ?? shipped?.about ?? "");
  return (
    <div className={`px-[18px] pb-12 pt-3 ${cell ? "mr-[344px] max-[900px]:mr-0" : ""}`}>
      <h1 className="sr-only">Reports</h1>
      <div className="flex flex-wrap items-center gap-2">
        <ReportTabs
          list={list.data}
          chosen={key}
          isChanged={isChanged}
          onOpen={open}
          onBlank={blank}
          onMean={(meant) => {
            setCell(null);
            setParams({ as: JSON.stringify(meant) });
          }}
        />
        <Link to="/desk/reports/outlook" className="ml-auto inline-flex min-h-[30px] items-center underline">
          Looking ahead
        </Link>
        <Link to="/desk/dashboards" className="inline-flex min-h-[30px] items-center underline">
          Dashboards
        </Link>
        <KeepReport
          definition={definition}
          kept={kept ?? null}
          name={kept?.name ?? shipped?.name ?? ""}
          isChanged={isChanged}
          onKept={(number) => open(String(number))}
          onRemoved={() => open("")}
        />
      </div>
      <div className="mt-2">
        <ReportSentence definition={definition} words={list.data.words} onChange={change} />
        {about ? <p className="text-ink-2">{about}</p> : null}
      </div>
      {shown.error ? <ErrorNote>{sentence(shown.error)}</ErrorNote> : null}
      {!shown.data && !shown.error ? <Loading what="the report" /> : null}
      {shown.data && !shown.error ? (
        <div className={shown.isPlaceholderData ? "opacity-60" : ""} aria-busy={shown.isPlaceholderData}>
          <ReportFigures shown={shown.data} definition={definition} />
          <div
            className={`mt-2 grid items-start gap-3 max-[1100px]:grid-cols-1 ${
              isWide(shown.data) ? "grid-cols-1" : "grid-cols-[minmax(0,1fr)_minmax(0,1fr)]"
            }`}
          >
            <ReportTable shown={shown.data} definition={definition} cell={cell} onCell={setCell} />
            {(definition.draw ?? "table") === "table" ? null : (
              <Suspense fallback={<Loading what="the drawing" />}>
                <ReportChart shown={shown.data} definition={definition} onCell={setCell} />
              </Suspense>
            )}
          </div>
          {kept && !isChanged ? (
            <Frozen
              key={`frozen${kept.id}`}
              kept={kept}
              shown={params.has("frozen") ? +(params.get("frozen") ?? "0") : null}
              onShow={(number) => setParams({ report: key, ...(number === null ? {} : { frozen: String(number) }) })}
            />
          ) : null}
          {kept?.is_mine && !isChanged ? <Deliveries key={kept.id} report={kept.id} shown={shown.data} /> : null}
          <Foot shown={shown.data} />
        </div>
      ) : null}
      {cell && shown.data ? <CellPanel report={report} cell={cell} shown={shown.data} onClose={() => setCell(null)} /> : null}
    </div>
  );
}

/** Whether a table has no room beside its drawing: many columns, or long names of them. */
function isWide({ table }: Shown): boolean {
  return table.columns.length > 8 || table.columns.reduce((length, one) => length + one.label.length + 4, 0) > 70;
}

/** What counts: each figure, the zone, and when it was read. */
function Foot({ shown }: { shown: Shown }) {
  return (
    <div className="mt-2 text-[13px] text-ink-2">
      {shown.measures
        .filter((one) => one.about !== "")
        .map((one) => (
          <p key={one.of + one.way}>
            <b className="text-ink">{one.label}</b>: {one.about}
          </p>
        ))}
      <p>
        Of what you may see, in {shown.zone}, read {exact(shown.now_s)}. Totals are of the records themselves.
        {shown.known_s !== null && shown.now_s - shown.known_s > 60
          ? ` What happened after ${exact(shown.known_s)} is still being read.`
          : ""}
      </p>
    </div>
  );
}
