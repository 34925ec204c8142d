import { Link } from "react-router";
import type { components } from "../../api/schema";
import { PriorityMark } from "../../parts/marks";
import { exact, when } from "../../parts/time";
import { pageOf, strengthWords } from "./words";

type End = components["schemas"]["EndShape"];
type Attribute = components["schemas"]["AttributeShape"];
type OpenIncident = components["schemas"]["OpenIncidentShape"];
type Happened = components["schemas"]["HappenedShape"];

/** A box of a page or an aside, with its heading. */
export function Box({ title, note, children }: { title: string; note?: string; children: React.ReactNode }) {
  return (
    <section aria-label={title} className="mt-3">
      <h2 className="mb-1 font-bold">
        {title} {note ? <span className="text-[13px] font-normal text-ink-2">{note}</span> : null}
      </h2>
      {children}
    </section>
  );
}

/** What is recorded of an item against what a scan has seen of it. */
export function RecordedAndSeen({ attributes, act }: { attributes: Attribute[]; act?: (attribute: Attribute) => React.ReactNode }) {
  if (attributes.length === 0) return <p className="text-ink-2">Nothing is written down of it.</p>;
  return (
    <table className="w-full text-[14px]">
      <thead>
        <tr className="text-left text-[13px] text-ink-2">
          <th className="font-normal">
            <span className="sr-only">attribute</span>
          </th>
          <th className="px-1 font-normal">recorded</th>
          <th className="px-1 font-normal">seen</th>
          <th className="px-1 font-normal">
            <span className="sr-only">whether they differ</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {attributes.map((one) => (
          <tr key={one.key} className={`border-t border-line align-baseline ${one.differs && !one.explained ? "bg-crown-2" : ""}`}>
            <th scope="row" className="py-1 pl-1 pr-1 text-left font-normal">
              {one.label}
            </th>
            <td className="px-1">{one.recorded || "–"}</td>
            <td className={`px-1 ${one.differs ? "font-bold" : ""}`}>{one.seen || "–"}</td>
            <td className="px-1 text-right text-[13px]">
              {one.differs ? (
                <>
                  {one.explained || "nothing explains it"} {act?.(one)}
                </>
              ) : one.seen ? (
                <span title="as recorded">✓</span>
              ) : null}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

export function Ends({ ends, nothing, remove }: { ends: End[]; nothing: string; remove?: (end: End) => React.ReactNode }) {
  if (ends.length === 0) return <p className="text-ink-2">{nothing}</p>;
  return (
    <ul>
      {ends.map((end) => (
        <li key={`${end.source}>${end.target}`} className="flex items-baseline gap-2 border-b border-line py-1 last:border-0">
          <Link to={pageOf(end.node)} className="font-semibold hover:underline">
            {end.name}
          </Link>
          <span className="text-[13px] text-ink-2">{end.kind}</span>
          <span className="ml-auto text-right text-[13px] text-ink-2">{strengthWords(end.strength, end.group)}</span>
          {remove?.(end)}
        </li>
      ))}
    </ul>
  );
}

export function OpenIncidents({ incidents, count, now }: { incidents: OpenIncident[]; count: number; now: number }) {
  if (count === 0) return <p className="text-ink-2">No incident is open.</p>;
  return (
    <ul>
      {incidents.map((one) => (
        <li key={one.id} className="flex items-baseline gap-2 border-b border-line py-1 last:border-0">
          <PriorityMark priority={one.priority} />
          <Link to={`/desk/tickets/${one.id}`} className="min-w-0 flex-1 hover:underline">
            <span className="font-mono text-[13px]">{one.id}</span> {one.title}
          </Link>
          <span
            className={`whitespace-nowrap text-[13px] ${one.late_from_s !== null && one.late_from_s < now ? "font-bold text-rust" : "text-ink-2"}`}
          >
            {one.late_from_s !== null && one.late_from_s < now ? "overdue" : one.due_s === null ? "waiting" : `due ${when(one.due_s, now)}`}
          </span>
        </li>
      ))}
      {count > incidents.length ? <li className="py-1 text-[13px] text-ink-2">and {count - incidents.length} more</li> : null}
    </ul>
  );
}

/** Incidents of the last twelve weeks as bars, the last at the right. */
export function Weeks({ weeks }: { weeks: number[] }) {
  const most = Math.max(1, ...weeks);
  const all = weeks.reduce((sum, count) => sum + count, 0);
  return (
    <p className="flex items-end gap-[3px]">
      <span className="sr-only">
        {all} incidents in twelve weeks: {weeks.join(", ")}
      </span>
      {weeks.map((count, index) => (
        <span
          key={index}
          aria-hidden="true"
          title={`${count} incidents`}
          className={`w-[14px] rounded-t-[2px] ${index >= 10 ? "bg-sea" : "bg-sea-2"}`}
          style={{ height: 2 + (count / most) * 34 }}
        />
      ))}
      <span className="pl-2 text-[13px] text-ink-2">{all} in twelve weeks</span>
    </p>
  );
}

export function History({ happened }: { happened: Happened[] }) {
  if (happened.length === 0) return <p className="text-ink-2">Nothing has changed since it was brought in.</p>;
  return (
    <ul>
      {happened.map((one, index) => (
        <li key={index} className="border-b border-line py-1 last:border-0">
          <span className="text-[13px] text-ink-2">{exact(one.at_s)}</span> {one.sentence}
        </li>
      ))}
    </ul>
  );
}
