import type { Ticket } from "../../../api/client";
import { Panel } from "../Panel";

/** What the server says a kind of record has to show: pairs of a label and words. */
export function Panels({ ticket }: { ticket: Ticket }) {
  return ticket.panels.map((panel) => (
    <Panel key={panel.key} title={panel.label}>
      <dl className="grid grid-cols-[110px_1fr] gap-x-2 gap-y-0.5">
        {panel.rows.map((row) => (
          <div key={row.label} className="contents">
            <dt className="text-ink-2">{row.label}</dt>
            <dd className="min-w-0 break-words">{row.words}</dd>
          </div>
        ))}
      </dl>
    </Panel>
  ));
}
