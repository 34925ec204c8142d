import type { components } from "../../api/schema";
import { clockTime, startOfDay, when } from "../../parts/time";
import { Box } from "./parts";

type Window = components["schemas"]["CoveringWindowShape"];

/** The maintenance windows and freezes over something, the soonest first. */
export function ItsWindows({ windows, now }: { windows: Window[]; now: number }) {
  return (
    <Box title="Windows and freezes">
      {windows.length === 0 ? <p className="text-ink-2">None: it may be changed at any time.</p> : null}
      <ul>
        {windows.map((one) => (
          <li key={one.name} className="flex flex-wrap items-baseline justify-between gap-x-3">
            <span>
              {one.name} <span className="text-[13px] text-ink-2">{one.is_freeze ? "change freeze" : "maintenance window"}</span>
            </span>
            <span className="text-[13px] tabular-nums text-ink-2">{moment(one, now)}</span>
          </li>
        ))}
      </ul>
    </Box>
  );
}

function moment({ from_s: from, to_s: to }: Window, now: number): string {
  if (from === null || to === null) return "not any more";
  return from <= now
    ? `open until ${when(to, now)}`
    : `${when(from, now)} – ${startOfDay(from) === startOfDay(to) ? clockTime(to) : when(to, now)}`;
}
