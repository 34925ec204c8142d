import { Link } from "react-router";
import type { components } from "../../api/schema";
import { when } from "../../parts/time";
import { Box } from "./parts";

type Change = components["schemas"]["TouchingChangeShape"];

/** The changes that touch it: to come, under way, and done lately. */
export function ItsChanges({ changes, now }: { changes: Change[]; now: number }) {
  if (changes.length === 0) return null;
  return (
    <Box title="Changes" note="to come, and of the last 30 days">
      <ul>
        {changes.map((one) => (
          <li key={one.id} className="flex items-baseline gap-2 py-0.5">
            <Link to={`/desk/tickets/${one.id}`} className="min-w-0 flex-1 hover:underline">
              <span className="font-mono text-[13px]">{one.id}</span> {one.title}
            </Link>
            <span className="text-[13px] text-ink-2">{stands(one, now)}</span>
          </li>
        ))}
      </ul>
    </Box>
  );
}

/** Where a change stands, with the time that matters of it. */
export function stands(one: Change, now: number): string {
  if (one.ended_s !== null) return `${one.outcome || "went in"} ${when(one.ended_s, now)}`;
  if (one.began_s !== null) return `under way since ${when(one.began_s, now)}`;
  return one.starts_s === null ? one.state : `${one.state}, ${when(one.starts_s, now)}`;
}
