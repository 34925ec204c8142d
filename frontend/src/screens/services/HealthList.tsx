import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { Empty, ErrorNote, Loading } from "../../parts/ui";
import { vital } from "./words";

const PRIORITIES = ["1", "2", "3", "4"];

/** Every service as it is now: those in trouble first. */
export function HealthList() {
  const { data, error } = useQuery({ queryKey: ["services"], queryFn: () => ok(api.GET("/api/services")), refetchInterval: 30_000 });
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <Loading what="the services" />;
  if (data.length === 0) return <Empty title="No service is named yet">An administrator names what people use.</Empty>;
  const worst = (one: (typeof data)[number]) => [
    -one.announced,
    -(one.priorities["1"] ?? 0),
    -one.overdue,
    -(one.priorities["2"] ?? 0),
    one.criticality,
    -one.open,
  ];
  const rows = [...data].sort((a, b) => {
    const [left, right] = [worst(a), worst(b)];
    for (let at = 0; at < left.length; at += 1) if (left[at] !== right[at]) return (left[at] ?? 0) - (right[at] ?? 0);
    return a.name.localeCompare(b.name);
  });
  return (
    <div className="overflow-x-auto rounded-card border border-line bg-sheet">
      <table className="w-full min-w-[760px]">
        <thead>
          <tr className="border-b border-line text-left text-[13px] text-ink-2">
            <th className="px-3 py-1.5 font-normal">service</th>
            <th className="px-2 font-normal">now</th>
            {PRIORITIES.map((one) => (
              <th key={one} className="w-12 px-2 text-right font-normal">
                P{one}
              </th>
            ))}
            <th className="px-2 text-right font-normal">in 14 days</th>
            <th className="px-2 text-right font-normal">changes</th>
            <th className="px-2 font-normal">team</th>
            <th className="px-2 font-normal">used by</th>
            <th className="px-3 text-right font-normal">items</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((one) => (
            <tr key={one.id} className="border-b border-line align-baseline last:border-0">
              <td className="px-3 py-1.5">
                <Link to={`/desk/services/${one.id}`} className="font-bold hover:underline">
                  {one.name}
                </Link>{" "}
                <span className="text-[13px] text-ink-2">{one.criticality <= 2 ? vital(one.criticality) : ""}</span>
              </td>
              <td className="px-2">
                <State service={one} />
              </td>
              {PRIORITIES.map((priority) => (
                <td key={priority} className="px-2 text-right font-mono">
                  {one.priorities[priority] ? (
                    <Link className={priority === "1" ? "font-bold text-rust underline" : "underline"} to={behind(one.name, priority)}>
                      {one.priorities[priority]}
                    </Link>
                  ) : (
                    <span className="text-ink-2">–</span>
                  )}
                </td>
              ))}
              <td className="px-2 text-right font-mono">{one.recent}</td>
              <td className="px-2 text-right font-mono">{one.changes || <span className="text-ink-2">–</span>}</td>
              <td className="px-2">{one.team}</td>
              <td className="px-2 text-[13px] text-ink-2">{one.departments.join(", ")}</td>
              <td className="px-3 text-right font-mono">{one.items}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function State({ service }: { service: { announced: number; overdue: number; soon: number; open: number } }) {
  const said = [
    service.announced > 0 ? { words: "outage announced", className: "bg-rust-2 text-rust" } : null,
    service.overdue > 0 ? { words: `${service.overdue} overdue`, className: "text-rust" } : null,
    service.soon > 0 ? { words: `${service.soon} due soon`, className: "bg-crown-2" } : null,
  ].filter((one) => one !== null);
  if (said.length === 0) return <span className="text-ink-2">{service.open > 0 ? "in time" : "quiet"}</span>;
  return (
    <span className="flex flex-wrap gap-1.5">
      {said.map((one) => (
        <span key={one.words} className={`whitespace-nowrap rounded px-1.5 font-semibold ${one.className}`}>
          {one.words}
        </span>
      ))}
    </span>
  );
}

/** The queue with exactly the incidents behind a count. */
function behind(service: string, priority: string): string {
  const filter = {
    all: [
      { field: "open", op: "is", value: true },
      { field: "kind", op: "is", value: "incident" },
      { field: "service", op: "is", value: service },
      { field: "priority", op: "is", value: `P${priority}` },
    ],
  };
  return `/desk/queue?filter=${encodeURIComponent(JSON.stringify(filter))}`;
}
