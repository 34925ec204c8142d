import type { components } from "../../api/schema";
import { span } from "../../parts/time";
import { Box } from "./parts";

type Covers = components["schemas"]["CoveringShape"];

const KINDS = { customer: "SLA", team: "OLA", supplier: "supplier contract" };

/** Under which agreements an incident reported now would be, and what it would be promised. */
export function Covering({ agreements }: { agreements: Covers[] }) {
  if (agreements.length === 0)
    return (
      <Box title="Agreements">
        <p className="text-ink-2">No agreement covers an incident on it.</p>
      </Box>
    );
  return (
    <Box title="Agreements" note="for an incident reported now">
      {agreements.map((one) => (
        <div key={one.key} className="mb-2">
          <h3>
            <b>{one.name}</b>{" "}
            <span className="text-[13px] text-ink-2">
              {KINDS[one.kind]}
              {one.with ? `, ${one.with}` : ""}
            </span>
          </h3>
          <Targets covers={one} />
        </div>
      ))}
    </Box>
  );
}

function Targets({ covers }: { covers: Covers }) {
  const clocks = [...new Set(covers.targets.flatMap((row) => row.clocks.map((one) => one.clock)))];
  const calendars = [...new Set(covers.targets.flatMap((row) => row.clocks.map((one) => one.calendar)))];
  if (clocks.length === 0) return <p className="text-[13px] text-ink-2">It sets no target.</p>;
  return (
    <table className="text-[13px] tabular-nums">
      <thead>
        <tr className="text-left text-ink-2">
          <th className="pr-4 font-normal">
            <span className="sr-only">priority</span>
          </th>
          {clocks.map((clock) => (
            <th key={clock} scope="col" className="pr-5 font-normal">
              {clock}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {covers.targets.map((row) => (
          <tr key={row.priority}>
            <th scope="row" className="pr-4 text-left font-semibold">
              P{row.priority}
            </th>
            {clocks.map((clock) => {
              const found = row.clocks.find((one) => one.clock === clock);
              return (
                <td key={clock} className="pr-5">
                  {found ? span(found.seconds) : "–"}
                  {found && calendars.length > 1 ? <span className="text-ink-2"> {found.calendar}</span> : null}
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
      {calendars.length === 1 ? <caption className="caption-bottom text-left text-ink-2">of service time: {calendars[0]}</caption> : null}
    </table>
  );
}
