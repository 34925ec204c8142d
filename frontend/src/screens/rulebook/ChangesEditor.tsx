import { ChangeTypes, RATINGS, type ChangeType } from "./ChangeTypes";
import { PastChanges } from "./PastChanges";
import { useBook, useEntry } from "./data";
import { entriesOf } from "./edits";
import { EditState, options, Part, PickMany, PickOne, smallInput } from "./parts";

interface Changes {
  risk?: {
    weights?: { criticality: number; percent: number }[];
    factors?: { factor: string; percent: number }[];
    thresholds?: { moderate?: number; high?: number; critical?: number };
    many_items?: number;
  };
  types?: ChangeType[];
  tell?: { hours: number; ratings: string[] };
  cab?: { weekday: string; time: string; zone: string; cutoff_minutes: number; minutes?: number; board?: string };
  ends_problem?: { outcomes: string[]; with_incidents?: boolean };
  lead_hours?: number;
  review_days?: number;
  review_calendar?: string;
  incident_days?: number;
}

const FACTORS: [string, string, number][] = [
  ["in_freeze", "when it is in a freeze", 25],
  ["outside_window", "when it is outside a maintenance window", 10],
  ["clashes", "for each clash, at most three", 10],
  ["lead_time_short", "when it is submitted at short notice", 10],
  ["no_backout", "when no way back is written", 20],
  ["untested", "when it was tried nowhere before", 15],
  ["first_on_service", "when whoever does it has never changed that service", 10],
  ["many_items", "when it touches many items", 5],
];
const CRITICALITY = ["vital", "important", "ordinary", "minor"];
const WEIGHTS = [90, 50, 25, 10];
const DAYS: [string, string][] = [
  ["mon", "Monday"],
  ["tue", "Tuesday"],
  ["wed", "Wednesday"],
  ["thu", "Thursday"],
  ["fri", "Friday"],
  ["sat", "Saturday"],
  ["sun", "Sunday"],
];

function whole(text: string, least: number, most: number): number {
  return Math.min(most, Math.max(least, Math.round(+text) || 0));
}

/** How changes are weighed, which types there are, who authorises them, and when the CAB meets. */
export function ChangesEditor() {
  const { document, words } = useBook();
  const editing = useEntry<Changes>("changes", "", document.changes ?? {});
  const changes = editing.value;
  const set = (change: Partial<Changes>) => editing.set({ ...changes, ...change });
  const risk = changes.risk ?? {};
  const setRisk = (change: Partial<NonNullable<Changes["risk"]>>) => set({ risk: { ...risk, ...change } });
  const calendars = entriesOf<{ key: string; name: string }>(document, "calendars");
  const percent = (label: string, value: number, onChange: (value: number) => void) => (
    <label className="flex items-center gap-2">
      <input
        type="number"
        min={0}
        max={100}
        className={`${smallInput} w-[80px]`}
        value={value}
        onChange={(event) => onChange(whole(event.target.value, 0, 100))}
      />
      % {label}
    </label>
  );
  const number = (label: string, value: number, least: number, most: number, onChange: (value: number) => void) => (
    <input
      type="number"
      aria-label={label}
      min={least}
      max={most}
      className={`${smallInput} w-[80px]`}
      value={value}
      onChange={(event) => onChange(whole(event.target.value, least, most))}
    />
  );
  const cab = changes.cab ?? { weekday: "tue", time: "10:30", zone: "Europe/London", cutoff_minutes: 1440 };
  const ends = changes.ends_problem ?? { outcomes: ["done"], with_incidents: true };
  const bounds = { moderate: 8, high: 25, critical: 50, ...risk.thresholds };
  return (
    <>
      <EditState editing={editing} />
      <ChangeTypes types={changes.types ?? []} onChange={(types) => set({ types })} />
      <Part title="What makes it likelier to fail">
        <div className="flex flex-col gap-1">
          {FACTORS.map(([factor, label, shipped]) => (
            <span key={factor}>
              {percent(label, risk.factors?.find((one) => one.factor === factor)?.percent ?? shipped, (value) =>
                setRisk({ factors: [...(risk.factors ?? []).filter((one) => one.factor !== factor), { factor, percent: value }] }),
              )}
            </span>
          ))}
        </div>
        <p className="mt-1 text-[15px] leading-8">
          Many items are {number("Many items are", risk.many_items ?? 6, 1, 1000, (value) => setRisk({ many_items: value }))} or more; short
          notice is less than {number("Hours of notice", changes.lead_hours ?? 48, 0, 8760, (value) => set({ lead_hours: value }))} hours
          before it begins.
        </p>
      </Part>
      <Part title="What is lost with a service">
        <div className="flex flex-col gap-1">
          {CRITICALITY.map((label, index) => (
            <span key={label}>
              {percent(
                `with a service that is ${label}`,
                risk.weights?.find((one) => one.criticality === index + 1)?.percent ?? WEIGHTS[index] ?? 10,
                (value) =>
                  setRisk({
                    weights: [
                      ...(risk.weights ?? []).filter((one) => one.criticality !== index + 1),
                      { criticality: index + 1, percent: value },
                    ].sort((a, b) => a.criticality - b.criticality),
                  }),
              )}
            </span>
          ))}
        </div>
      </Part>
      <p className="mt-2 text-[16px] leading-8">
        A risk is moderate from{" "}
        {number("Moderate from", bounds.moderate, 0, 101, (value) => setRisk({ thresholds: { ...bounds, moderate: value } }))} points, high
        from {number("High from", bounds.high, 0, 101, (value) => setRisk({ thresholds: { ...bounds, high: value } }))}, critical from{" "}
        {number("Critical from", bounds.critical, 0, 101, (value) => setRisk({ thresholds: { ...bounds, critical: value } }))}.
      </p>
      <PastChanges changes={changes} />
      <Part title="The change advisory board">
        <p className="text-[16px] leading-8">
          <PickOne
            label="Board"
            options={[{ key: "", name: "nobody in particular" }, ...options(words.boards)]}
            value={cab.board ?? ""}
            onChange={(board) => set({ cab: { ...cab, board } })}
          />{" "}
          meets each{" "}
          <PickOne
            label="Weekday"
            options={DAYS.map(([key, name]) => ({ key, name }))}
            value={cab.weekday}
            onChange={(weekday) => set({ cab: { ...cab, weekday } })}
          />{" "}
          at{" "}
          <input
            type="time"
            aria-label="Time of the meeting"
            className={smallInput}
            value={cab.time}
            onChange={(event) => event.target.value && set({ cab: { ...cab, time: event.target.value } })}
          />{" "}
          in{" "}
          <input
            aria-label="Time zone of the meeting"
            className={`${smallInput} w-[160px]`}
            value={cab.zone}
            onChange={(event) => set({ cab: { ...cab, zone: event.target.value } })}
          />
          for {number("Minutes of a meeting", cab.minutes ?? 60, 5, 600, (value) => set({ cab: { ...cab, minutes: value } }))} minutes; what
          comes later than{" "}
          {number("Minutes of cut-off", cab.cutoff_minutes, 0, 20160, (value) => set({ cab: { ...cab, cutoff_minutes: value } }))} minutes
          before it waits for the next.
        </p>
      </Part>
      <p className="mt-2 text-[16px] leading-8">
        Those who use what a change stops are told{" "}
        {number("Hours before it that users are told", changes.tell?.hours ?? 0, 0, 720, (hours) =>
          set({ tell: { hours, ratings: changes.tell?.ratings ?? ["moderate", "high", "critical"] } }),
        )}{" "}
        hours before it where its risk is{" "}
        <PickMany
          label="Of which risk users are told"
          options={options(RATINGS)}
          value={changes.tell?.ratings ?? []}
          onChange={(chosen) =>
            set({ tell: { hours: changes.tell?.hours ?? 24, ratings: RATINGS.filter((each) => chosen.includes(each)) } })
          }
          placeholder="never"
          joiner="or"
        />
        , and once it is over, by the messages “planned work ahead” and “planned work is over”.
      </p>
      <p className="mt-2 text-[16px] leading-8">
        A change is looked back on after{" "}
        {number("Days until the look back", changes.review_days ?? 5, 0, 100, (value) => set({ review_days: value }))} days of{" "}
        <PickOne
          label="Calendar of the look back"
          options={[{ key: "", name: "the hours in which records are closed" }, ...calendars]}
          value={changes.review_calendar ?? ""}
          onChange={(key) => set({ review_calendar: key })}
        />
        ; incidents of {number("Days of incidents", changes.incident_days ?? 5, 1, 60, (value) => set({ incident_days: value }))} days on
        what it reached are shown with it.
      </p>
      <p className="mt-2 text-[16px] leading-8">
        The problem that asked for it is resolved with it when it went{" "}
        <PickMany
          label="Outcomes that resolve the problem"
          options={[
            { key: "done", name: "well" },
            { key: "with issues", name: "well, with issues" },
          ]}
          value={ends.outcomes}
          onChange={(outcomes) => set({ ends_problem: { ...ends, outcomes } })}
          placeholder="no matter how: never"
          joiner="or"
        />
        , and no incident is linked as caused by it and no other change for the problem is open;{" "}
        <PickOne
          label="Its incidents"
          options={[
            { key: "yes", name: "its open incidents are resolved too" },
            { key: "no", name: "its open incidents stay open" },
          ]}
          value={(ends.with_incidents ?? true) ? "yes" : "no"}
          onChange={(key) => set({ ends_problem: { ...ends, with_incidents: key === "yes" } })}
        />
        .
      </p>
    </>
  );
}
