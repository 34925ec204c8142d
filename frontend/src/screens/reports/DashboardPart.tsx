import { useQuery } from "@tanstack/react-query";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useOutlook } from "../../parts/chances";
import { useNow } from "../../parts/hooks";
import { ErrorNote, Loading } from "../../parts/ui";
import { ComingView } from "./ComingView";
import type { Tree } from "../../parts/condition/tree";
import { type BoardFilter, listOf, notNarrowed, type Part, reportOf } from "./board";
import { ListView, OutlookView, PartFrame, ReportView } from "./PartView";
import { readDefinition } from "./report";
import type { Cell } from "./ReportTable";

const REFRESH_MS = 60_000;
const LISTED = 8;

interface PartProps {
  part: Part;
  reports: components["schemas"]["ReportsShape"];
  filter: BoardFilter;
  /** On a wall, where nobody presses anything. */
  isWall: boolean;
  onCell: (report: string, cell: Cell) => void;
}

/** One part of a dashboard, kept current. */
export function DashboardPart(props: PartProps) {
  const { part } = props;
  if (part.kind === "text") return <PartFrame part={part} name="" note="" link="" children={null} />;
  if (part.kind === "list") return <ListPart {...props} />;
  if (part.kind === "outlook") return <OutlookPart {...props} />;
  if (part.kind === "schedule") return <SchedulePart {...props} />;
  return <ReportPart {...props} />;
}

function ReportPart({ part, reports, filter, isWall, onCell }: PartProps) {
  const shipped = reports.shipped.find((one) => one.key === part.report);
  const kept = reports.kept.find((one) => String(one.id) === part.report);
  const found = kept ?? shipped;
  const stored = readDefinition(JSON.stringify(found?.definition ?? null));
  const own = reports.words.kinds.find((one) => one.key === stored?.kind)?.own;
  const isOnTicket = own?.on_ticket ?? true;
  const definition = stored ? reportOf(stored, filter, isOnTicket) : null;
  const report = definition ? JSON.stringify(definition) : "";
  const { data, error } = useQuery({
    queryKey: ["reports", "table", report],
    queryFn: () => ok(api.GET("/api/reports/table", { params: { query: { report } } })),
    enabled: definition !== null,
    refetchInterval: REFRESH_MS,
    placeholderData: (before) => before,
    staleTime: REFRESH_MS / 2,
  });
  if (!found || !definition) return <p className="p-1 text-ink-2">This report is gone, or is shared no more.</p>;
  const span = typeof definition.span === "string" && definition.event !== "open now" ? definition.span : "";
  return (
    <PartFrame
      part={part}
      name={found.name}
      note={[span, notNarrowed("report", isOnTicket, filter)].filter(Boolean).join(" · ")}
      link={isWall ? "" : `/desk/reports?report=${part.report ?? ""}`}
    >
      {error && !data ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {!data && !error ? <Loading what={found.name} /> : null}
      {data ? (
        <ReportView
          show={part.show ?? ""}
          shown={data}
          definition={definition}
          onCell={isWall ? undefined : (cell) => onCell(report, cell)}
        />
      ) : null}
    </PartFrame>
  );
}

function ListPart({ part, filter: narrowed, isWall }: PartProps) {
  const now = useNow();
  const filter = JSON.stringify(listOf(part.where as Tree | null, narrowed));
  const { data, error } = useQuery({
    queryKey: ["reports", "table", "list", filter, part.show],
    queryFn: () => ok(api.GET("/api/tickets", { params: { query: { filter, sort: part.show ?? "" } } })),
    refetchInterval: REFRESH_MS,
    placeholderData: (before) => before,
    staleTime: REFRESH_MS / 2,
  });
  const many = data ? (data.next_cursor === null ? String(data.rows.length) : `more than ${data.rows.length}`) : "";
  const link = `/desk/queue?filter=${encodeURIComponent(filter)}${part.show ? `&sort=${encodeURIComponent(part.show)}` : ""}`;
  return (
    <PartFrame
      part={part}
      name={part.text ?? ""}
      note={[many, notNarrowed("list", true, narrowed)].filter(Boolean).join(" · ")}
      link={isWall ? "" : link}
    >
      {error && !data ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {!data && !error ? <Loading what={part.text ?? "the list"} /> : null}
      {data ? (
        <ListView
          rows={data.rows.slice(0, LISTED)}
          count={data.rows.length > LISTED ? `the first ${LISTED} of ${many}` : ""}
          now={now}
          isStill={isWall}
        />
      ) : null}
    </PartFrame>
  );
}

function SchedulePart({ part, filter, isWall }: PartProps) {
  const now = useNow();
  // From the hour on: what is asked for changes once an hour, not each second.
  const from = Math.floor(now / 3600) * 3600;
  const query = { from: new Date(from * 1000).toISOString(), to: new Date((from + 14 * 86_400) * 1000).toISOString() };
  const { data, error } = useQuery({
    queryKey: ["reports", "table", "schedule", from],
    queryFn: () => ok(api.GET("/api/changes/schedule", { params: { query } })),
    refetchInterval: REFRESH_MS,
    placeholderData: (before) => before,
    staleTime: REFRESH_MS / 2,
  });
  return (
    <PartFrame
      part={part}
      name="Changes"
      note={["the two weeks that come", notNarrowed("schedule", true, filter)].filter(Boolean).join(" · ")}
      link={isWall ? "" : "/desk/changes"}
    >
      {error && !data ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {!data && !error ? <Loading what="the schedule" /> : null}
      {data ? <ComingView coming={data} now={now} team={filter.team} isStill={isWall} /> : null}
    </PartFrame>
  );
}

function OutlookPart({ part, filter, isWall }: PartProps) {
  const now = useNow();
  const { data, error } = useOutlook();
  return (
    <PartFrame
      part={part}
      name="Looking ahead"
      note={["the next eight hours of work", notNarrowed("outlook", true, filter)].filter(Boolean).join(" · ")}
      link={isWall ? "" : "/desk/reports/outlook"}
    >
      {error && !data ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {!data && !error ? <Loading what="the outlook" /> : null}
      {data ? <OutlookView teams={data.teams} now={now} team={filter.team} isStill={isWall} /> : null}
    </PartFrame>
  );
}
