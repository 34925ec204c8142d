import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ok, type ReportData, sentence } from "../../api/client";
import { useWidth } from "../../parts/hooks";
import { exact } from "../../parts/time";
import { ErrorNote, Loading } from "../../parts/ui";

type Span = ReportData["spans"][number];
type Table = Span["tables"][string];
type Cell = Table["total"];

const CLOCKS: [string, string][] = [
  ["answer", "Response: first answer in time"],
  ["fix", "Resolution: fixed in time"],
];
const AGES = ["under a day", "1 to 3 days", "3 to 7 days", "7 to 30 days", "over 30 days"];

// Numbers are small, what can be pressed around them is not.
const linkClass = "inline-block min-h-[24px] min-w-[24px] leading-[24px] hover:underline";

function behindLink(asked: Record<string, string | number>): string {
  return `/desk/reports/behind?${new URLSearchParams(Object.entries(asked).map(([key, value]) => [key, String(value)])).toString()}`;
}

/** Are we keeping our promises? Every number opens the tickets behind it. */
export function TargetsPage() {
  const { data, error } = useQuery({
    queryKey: ["reports"],
    queryFn: () => ok(api.GET("/api/reports/promises")),
    staleTime: 30_000,
  });
  if (error)
    return (
      <div className="p-6">
        <ErrorNote>{sentence(error)}</ErrorNote>
      </div>
    );
  if (!data) return <Loading what="the report" />;
  return (
    <div className="mx-auto max-w-[1320px] px-5 pb-12 pt-4">
      <h1 className="text-[21px] font-bold">SLA results</h1>
      <p className="mb-4 text-ink-2">
        Shares of the clocks that came to a stop in the month, by the team that holds the ticket and the priority its target was for. ✓ met,
        ✗ missed. Each number opens its tickets.
      </p>
      {CLOCKS.map(([clock, title]) => (
        <section key={clock} className="mb-6" aria-label={title}>
          <h2 className="mb-2 text-[16px] font-bold">{title}</h2>
          <div className="grid grid-cols-2 gap-4 max-[1000px]:grid-cols-1">
            {data.spans.map((span) => {
              const table = span.tables[clock];
              return table ? <PromiseTable key={span.span} clock={clock} span={span} table={table} /> : null;
            })}
          </div>
        </section>
      ))}
      <div className="grid grid-cols-[3fr_2fr] gap-4 max-[1000px]:grid-cols-1">
        <OpenByDay days={data.days} />
        <Ages data={data} />
      </div>
    </div>
  );
}

function PromiseTable({ clock, span, table }: { clock: string; span: Span; table: Table }) {
  const priorities = Object.keys(table.totals).sort((one, other) => +one - +other);
  return (
    <div className="overflow-x-auto rounded-card border border-line bg-sheet">
      <table className="w-full">
        <caption className="px-3.5 py-2 text-left font-bold">
          {span.span[0]?.toUpperCase()}
          {span.span.slice(1)}
        </caption>
        <thead>
          <tr className="border-y border-line text-[13px] text-ink-2">
            <th scope="col" className="px-3.5 py-1 text-left font-normal">
              team
            </th>
            {priorities.map((priority) => (
              <th key={priority} scope="col" className="px-2 text-right font-normal">
                P{priority}
              </th>
            ))}
            <th scope="col" className="px-3.5 text-right font-normal">
              all
            </th>
          </tr>
        </thead>
        <tbody>
          {table.rows.map((row) => (
            <tr key={row.team} className="border-b border-line">
              <th scope="row" className="px-3.5 py-1 text-left font-normal">
                {row.name}
              </th>
              {priorities.map((priority) => (
                <ShareCell key={priority} cell={row.cells[priority]} asked={{ clock, span: span.span, team: row.team, priority }} />
              ))}
              <ShareCell cell={row.total} asked={{ clock, span: span.span, team: row.team }} strong />
            </tr>
          ))}
          {table.rows.length === 0 ? (
            <tr>
              <td colSpan={priorities.length + 2} className="px-3.5 py-3 text-ink-2">
                Nothing came to a stop in this span.
              </td>
            </tr>
          ) : null}
          <tr>
            <th scope="row" className="px-3.5 py-1.5 text-left">
              All teams
            </th>
            {priorities.map((priority) => (
              <ShareCell key={priority} cell={table.totals[priority]} asked={{ clock, span: span.span, priority }} strong />
            ))}
            <ShareCell cell={table.total} asked={{ clock, span: span.span }} strong />
          </tr>
        </tbody>
      </table>
    </div>
  );
}

function ShareCell({ cell, asked, strong = false }: { cell: Cell | undefined; asked: Record<string, string>; strong?: boolean }) {
  const of = cell ? cell.kept + cell.missed : 0;
  if (!cell || of === 0) return <td className="px-2 text-right text-ink-2">–</td>;
  const share = Math.round((cell.share ?? 0) * 10) / 10;
  const shown = `${share.toFixed(share === 100 ? 0 : 1)} %`;
  return (
    <td className={`whitespace-nowrap px-2 text-right last:px-3.5 ${strong ? "font-bold" : ""}`}>
      <Link className={linkClass} to={behindLink(asked)} aria-label={`${shown}, of ${of}, open them`}>
        {shown}
      </Link>
      <span className="block text-[12px] font-normal text-ink-2">
        <Link className={linkClass} to={behindLink({ ...asked, outcome: "kept" })} aria-label={`${cell.kept} met, open them`}>
          {cell.kept} <span aria-hidden="true">✓</span>
        </Link>{" "}
        {cell.missed > 0 ? (
          <Link
            className={`${linkClass} text-rust`}
            to={behindLink({ ...asked, outcome: "missed" })}
            aria-label={`${cell.missed} missed, open them`}
          >
            {cell.missed} <span aria-hidden="true">✗</span>
          </Link>
        ) : null}
      </span>
    </td>
  );
}

function OpenByDay({ days }: { days: ReportData["days"] }) {
  const [ref, width] = useWidth<HTMLDivElement>();
  const most = Math.max(1, ...days.map((day) => day.open));
  const height = 170;
  const step = days.length ? width / days.length : 0;
  return (
    <section aria-label="Open at each day's end" className="rounded-card border border-line bg-sheet px-3.5 py-3">
      <h2 className="font-bold">Open at each day&apos;s end</h2>
      <p className="text-[13px] text-ink-2">last four weeks, today as it stands now</p>
      <div ref={ref} className="relative mt-3" style={{ height: height + 24 }}>
        {days.map((day, index) => {
          const tall = (day.open / most) * (height - 18);
          const isShown = index % 5 === days.length % 5 || index === days.length - 1;
          return (
            <Link
              key={day.day}
              to={behindLink({ open_at_s: day.at_s })}
              title={`${day.open} open, ${exact(day.at_s)}`}
              className="group absolute bottom-6 block"
              style={{ left: index * step, width: Math.max(2, step), height }}
            >
              <span className="sr-only">
                {day.open} open at the end of {day.day}
              </span>
              <span
                className="absolute bottom-0 left-0 right-[3px] block rounded-t-[3px] bg-sea-2 group-hover:bg-sea"
                style={{ height: tall }}
              />
              {isShown || step > 26 ? (
                <span aria-hidden="true" className="absolute w-full text-center text-[12px]" style={{ bottom: tall + 2 }}>
                  {day.open}
                </span>
              ) : null}
              {isShown ? (
                <span aria-hidden="true" className="absolute -bottom-5 left-1/2 -translate-x-1/2 whitespace-nowrap text-[12px] text-ink-2">
                  {day.day.slice(8)}.{day.day.slice(5, 7)}.
                </span>
              ) : null}
            </Link>
          );
        })}
      </div>
    </section>
  );
}

function Ages({ data }: { data: ReportData }) {
  return (
    <section aria-label="Age of open work" className="overflow-x-auto rounded-card border border-line bg-sheet">
      <table className="w-full">
        <caption className="px-3.5 py-2 text-left font-bold">Age of open work</caption>
        <thead>
          <tr className="border-y border-line text-[13px] text-ink-2">
            <th scope="col" className="px-3.5 py-1 text-left font-normal">
              team
            </th>
            {AGES.map((age) => (
              <th key={age} scope="col" className="px-1.5 text-right font-normal">
                {age}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {data.ages.map((row) => (
            <tr key={row.team} className="border-b border-line last:border-b-0">
              <th scope="row" className="px-3.5 py-1 text-left font-normal">
                {row.name}
              </th>
              {AGES.map((age) => {
                const count = row.counts[age] ?? 0;
                return (
                  <td key={age} className="px-1.5 text-right last:pr-3.5">
                    {count > 0 ? (
                      <Link className={linkClass} to={behindLink({ age, team: row.team })} aria-label={`${count} of ${row.name} ${age}`}>
                        {count}
                      </Link>
                    ) : (
                      <span className="text-ink-2">0</span>
                    )}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
