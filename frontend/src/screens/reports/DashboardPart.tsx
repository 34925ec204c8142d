import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense } from "react";
import { Link } from "react-router";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { ErrorNote, Loading } from "../../parts/ui";
import { ofTeam, type Part } from "./board";
import { readDefinition } from "./report";
import { ReportFigures } from "./ReportFigures";
import { type Cell, ReportTable } from "./ReportTable";

const ReportChart = lazy(() => import("./ReportChart").then((m) => ({ default: m.ReportChart })));
const REFRESH_MS = 60_000;

interface PartProps {
  part: Part;
  reports: components["schemas"]["ReportsShape"];
  team: string;
  /** On a wall, where nobody presses anything. */
  isWall: boolean;
  onCell: (report: string, cell: Cell) => void;
}

/** One part of a dashboard: a text, or a report as figures, table or drawing, kept current. */
export function DashboardPart({ part, reports, team, isWall, onCell }: PartProps) {
  const shipped = reports.shipped.find((one) => one.key === part.report);
  const kept = reports.kept.find((one) => String(one.id) === part.report);
  const found = kept ?? shipped;
  const stored = readDefinition(JSON.stringify(found?.definition ?? null));
  const definition = stored ? ofTeam(stored, team) : null;
  const report = definition ? JSON.stringify(definition) : "";
  const { data, error } = useQuery({
    queryKey: ["reports", "table", report],
    queryFn: () => ok(api.GET("/api/reports/table", { params: { query: { report } } })),
    enabled: definition !== null,
    refetchInterval: REFRESH_MS,
    placeholderData: (before) => before,
    staleTime: REFRESH_MS / 2,
  });
  if (part.kind === "text") return <p className="whitespace-pre-wrap p-1 text-[17px]">{part.text}</p>;
  if (!found || !definition) return <p className="p-1 text-ink-2">This report is gone, or is shared no more.</p>;
  return (
    <div>
      <h3 className="flex items-baseline gap-2 font-bold">
        {isWall ? (
          found.name
        ) : (
          <Link to={`/desk/reports?report=${part.report ?? ""}`} className="hover:underline">
            {found.name}
          </Link>
        )}
        <span className="text-[13px] font-normal text-ink-2">{typeof definition.span === "string" ? definition.span : ""}</span>
      </h3>
      {error && !data ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {!data && !error ? <Loading what={found.name} /> : null}
      {data ? (
        <>
          <ReportFigures shown={data} definition={definition} />
          {part.show === "table" ? (
            <ReportTable shown={data} definition={definition} cell={null} onCell={(cell) => onCell(report, cell)} />
          ) : null}
          {part.show === "drawing" ? (
            <Suspense fallback={<Loading what="the drawing" />}>
              <ReportChart
                shown={data}
                definition={definition.draw === "table" ? { ...definition, draw: "bars" } : definition}
                onCell={(cell) => onCell(report, cell)}
              />
            </Suspense>
          ) : null}
        </>
      ) : null}
    </div>
  );
}
