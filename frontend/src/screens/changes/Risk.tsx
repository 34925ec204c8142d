import { Link } from "react-router";
import { Panel } from "../record/Panel";
import { type Assessment, CRITICALITY, FACTOR } from "./words";

const SIDE = 200;

/** How risky it is: where it stands on the plane, what adds how much, and what would lower it. */
export function RiskPanel({ found, kept }: { found: Assessment; kept?: string }) {
  return (
    <Panel title={`Risk ${found.points}, ${found.rating}`} note={kept ?? "consequence × likelihood, as it stands now"}>
      {found.worst ? (
        <p className="mb-1">
          As risky as{" "}
          <Link to={`/desk/tickets/${found.worst}`} className="underline">
            {found.worst}
          </Link>{" "}
          alone: its parts are shown.
        </p>
      ) : null}
      <div className="flex flex-wrap gap-x-5 gap-y-2">
        <Plane found={found} />
        <div className="min-w-[250px] flex-1">
          <h3 className="flex font-semibold">
            Likely to go wrong <span className="ml-auto font-normal">{found.likelihood.toLocaleString("en-GB")} %</span>
          </h3>
          <ul>
            {found.likelihood_parts.map((part) => (
              <li key={part.name} className="flex items-baseline gap-2 border-b border-line py-0.5 last:border-0">
                <Bar percent={part.percent} isGood={part.name === "track_record"} />
                <span className="w-[52px] shrink-0 text-right font-semibold tabular-nums">+{part.percent.toLocaleString("en-GB")}</span>
                <span className="min-w-0 flex-1">
                  {part.times > 1 ? `${part.times} clashes` : (FACTOR[part.name]?.says ?? part.name)}
                  {part.name === "track_record" ? <span className="text-[13px] text-ink-2"> {recordWords(found)}</span> : null}
                </span>
              </li>
            ))}
          </ul>
          <h3 className="mt-2 flex font-semibold">
            What it reaches <span className="ml-auto font-normal">{found.consequence.toLocaleString("en-GB")} %</span>
          </h3>
          {found.reached.length === 0 ? (
            <p className="text-ink-2">No service stands on what it touches.</p>
          ) : (
            <ul>
              {found.reached.map((one) => (
                <li
                  key={one.id}
                  className="flex items-baseline gap-2 border-b border-line py-0.5 last:border-0"
                  title={one.path.join(" → ")}
                >
                  <Bar percent={one.adds} isGood />
                  <span className="w-[52px] shrink-0 text-right font-semibold tabular-nums">+{one.adds.toLocaleString("en-GB")}</span>
                  <span className="min-w-0 flex-1">
                    <Link to={`/desk/services/${one.id}`} className="hover:underline">
                      {one.name}
                    </Link>{" "}
                    <span className="text-[13px] text-ink-2">
                      {CRITICALITY[one.criticality]}
                      {one.path.length > 1 ? `, by ${one.path[one.path.length - 1] ?? ""}` : ""}
                    </span>
                  </span>
                  <span className="text-ink-2">{Math.round(one.share * 100)} %</span>
                </li>
              ))}
            </ul>
          )}
        </div>
      </div>
      {found.remedies.length > 0 ? (
        <p className="mt-2 flex flex-wrap items-baseline gap-2">
          <span className="text-ink-2">It would be</span>
          {found.remedies.slice(0, 5).map((one) => (
            <span key={one.factor} className="rounded-small border border-line px-2 py-0.5">
              <b>{one.points}</b> {FACTOR[one.factor]?.without ?? one.factor}
            </span>
          ))}
        </p>
      ) : null}
    </Panel>
  );
}

function recordWords(found: Assessment): string {
  const { n, failed, with_issues: issues } = found.track;
  if (n === 0) return "none like it: 1 in 10 to start from";
  const well = n - failed - issues;
  return `${well} of ${n} went well`;
}

function Bar({ percent, isGood }: { percent: number; isGood: boolean }) {
  return (
    <span className="flex w-[46px] shrink-0 justify-end self-center" aria-hidden="true">
      <span className={`h-[9px] rounded-sm ${isGood ? "bg-sea" : "bg-crown"}`} style={{ width: Math.max(3, Math.min(46, percent)) }} />
    </span>
  );
}

/** The plane of consequence and likelihood: beyond each line a rating begins. */
function Plane({ found }: { found: Assessment }) {
  const at = (share: number) => (share / 100) * SIDE;
  const x = at(found.likelihood);
  const y = SIDE - at(found.consequence);
  const fills = ["fill-crown-2", "fill-rust-2", "fill-rust"];
  const labels = ["moderate", "high", "critical"];
  return (
    <figure className="m-0 w-[236px]">
      <svg
        viewBox={`-22 -4 ${SIDE + 28} ${SIDE + 26}`}
        className="w-full"
        role="img"
        aria-label={`Risk ${found.points}, ${found.rating}: consequence ${found.consequence} %, likelihood ${found.likelihood} %`}
      >
        <rect width={SIDE} height={SIDE} className="fill-sea-3 stroke-line-2" />
        {found.thresholds.map((points, index) => (
          <path key={points} d={beyond(points)} className={`${fills[index] ?? ""} ${index === 2 ? "opacity-40" : ""}`} />
        ))}
        <text x={6} y={SIDE - 6} className="fill-ink-2 text-[11px]">
          low
        </text>
        {found.thresholds.map((points, index) => (
          <text key={points} x={SIDE - 4} y={Math.max(11, SIDE - points * 2 - 5)} textAnchor="end" className="fill-ink-2 text-[11px]">
            {labels[index]}
          </text>
        ))}
        <line x1={0} x2={x} y1={y} y2={y} className="stroke-ink" strokeDasharray="2 3" />
        <line x1={x} x2={x} y1={y} y2={SIDE} className="stroke-ink" strokeDasharray="2 3" />
        <circle cx={x} cy={y} r={6} className="fill-ink" />
        <text
          x={x > SIDE - 40 ? x - 10 : x + 10}
          y={y < 22 ? y + 20 : y - 8}
          textAnchor={x > SIDE - 40 ? "end" : "start"}
          className="fill-ink text-[17px] font-bold"
        >
          {found.points}
        </text>
        <text x={SIDE / 2} y={SIDE + 16} textAnchor="middle" className="fill-ink text-[11px] font-semibold">
          likelihood {found.likelihood.toLocaleString("en-GB")} %
        </text>
        <text transform={`translate(-8 ${SIDE / 2}) rotate(-90)`} textAnchor="middle" className="fill-ink text-[11px] font-semibold">
          consequence {found.consequence.toLocaleString("en-GB")} %
        </text>
      </svg>
    </figure>
  );
}

/** All that has so many points or more: consequence × likelihood / 100. */
function beyond(points: number): string {
  if (points > 100) return "";
  const found = [`M${(points / 100) * SIDE} 0`];
  for (let likelihood = points; likelihood <= 100; likelihood += 2) {
    const consequence = (points * 100) / Math.max(likelihood, 1);
    found.push(`L${(likelihood / 100) * SIDE} ${SIDE - (Math.min(100, consequence) / 100) * SIDE}`);
  }
  found.push(`L${SIDE} ${SIDE - (points / 100) * SIDE} L${SIDE} 0 Z`);
  return found.join(" ");
}
