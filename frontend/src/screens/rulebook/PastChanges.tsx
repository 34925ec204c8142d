import { useMutation } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { Button, ErrorNote } from "../../parts/ui";
import { Part } from "./parts";

type Weighed = components["schemas"]["PastWeighedShape"];

/** Would these weights have flagged the changes that failed? All past ones weighed again. */
export function PastChanges({ changes }: { changes: object }) {
  const { mutate, data, error, isPending } = useMutation({
    mutationFn: () => ok(api.POST("/api/changes/weigh", { body: { changes: changes as Record<string, unknown> } })),
  });
  return (
    <Part title="Tried on past changes">
      <p className="flex flex-wrap items-center gap-3">
        <Button disabled={isPending} onClick={() => mutate()}>
          {isPending ? "Weighing…" : "Weigh past changes by these"}
        </Button>
        <span className="text-[13px] text-ink-2">by what they reach today, their time, notice, plan, and what went before</span>
      </p>
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {data && data.n === 0 ? <p className="mt-2 text-ink-2">No change is over yet.</p> : null}
      {data && data.n > 0 ? (
        <div aria-live="polite" className="mt-2">
          <table className="w-full max-w-[640px]">
            <thead>
              <tr className="border-b border-line text-left text-[13px] text-ink-2">
                <th className="py-1 font-normal">of {data.n} changes</th>
                <th className="text-right font-normal">in force</th>
                <th className="text-right font-normal">failed</th>
                <th className="text-right font-normal">these</th>
                <th className="text-right font-normal">failed</th>
              </tr>
            </thead>
            <tbody>
              {data.wanted.ratings.map((row, index) => (
                <tr key={row.rating} className="border-b border-line tabular-nums">
                  <th scope="row" className="py-1 text-left font-normal">
                    {row.rating}
                  </th>
                  <td className="text-right">{data.in_force.ratings[index]?.n}</td>
                  <td className="text-right">{data.in_force.ratings[index]?.failed}</td>
                  <td className="text-right font-semibold">{row.n}</td>
                  <td className="text-right font-semibold">{row.failed}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="mt-2">
            These flag <b>{flagged(data.wanted)}</b>; those in force {flagged(data.in_force)}.
          </p>
          {data.missed_count > 0 ? (
            <details className="mt-1">
              <summary className="min-h-[24px] cursor-pointer underline">
                {data.missed_count === 1 ? "One that failed is low" : `${data.missed_count} that failed are low`} by these
              </summary>
              <ul>
                {data.missed.map((one) => (
                  <li key={one.id} className="flex gap-2 py-0.5">
                    <Link to={`/desk/tickets/${one.id}`} className="min-w-0 flex-1 truncate hover:underline">
                      <span className="font-mono text-[13px]">{one.id}</span> {one.title || "a change that you may not read"}
                    </Link>
                    <span className="text-[13px] text-ink-2">
                      {one.outcome}, {one.before} → {one.after}
                    </span>
                  </li>
                ))}
              </ul>
            </details>
          ) : null}
        </div>
      ) : null}
    </Part>
  );
}

function flagged(of: Weighed): string {
  return `${of.failed_flagged} of ${of.failed} that failed, and ${of.well_flagged} of ${of.well} that went well`;
}
