import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import type { Tree } from "../../parts/condition/tree";
import { Button } from "../../parts/ui";
import { type Entry, fieldsOf, useBook, useEntry } from "./data";
import { EditState, LinesInput, moved, options, OrderButtons, Part, PickMany, PickOne, smallInput, TextInput } from "./parts";
import { PickPeople } from "./PickPeople";
import type { SectionSpec } from "./section/spec";
import { yesNo } from "./section/spec";

interface PlanChannel {
  name: string;
  is_closed?: boolean;
  in_chat?: boolean;
  teams?: string[];
  people?: string[];
}

interface PlanAudience {
  name: string;
  minutes: number;
  words?: string;
  to?: string[];
  on_portal?: boolean;
  on_status_page?: boolean;
}

interface MajorPlan extends Entry {
  name: string;
  is_on?: boolean;
  is_closed?: boolean;
  team?: string;
  conference?: string;
  report?: string;
  roles?: string[];
  told?: string[];
  folders?: string[];
  tasks?: string[];
  checklist?: string[];
  channels?: PlanChannel[];
  audiences?: PlanAudience[];
  suggested?: { count?: number; minutes?: number };
  if?: Tree | null;
}

const HEARERS = ["everyone affected", "everyone who reported", "the responders"];

export const majorPlans: SectionSpec<MajorPlan> = {
  section: "major_plans",
  title: "Plans for major incidents",
  one: "plan for major incidents",
  about: "What is there as soon as one is declared. The first plan whose condition holds is offered; another can be chosen.",
  nameOf: (one) => one.name,
  renamed: (one, name) => ({ ...one, name }),
  isOff: (one) => one.is_on === false,
  isOrdered: true,
  columns: [
    { label: "closed circle", of: (one) => (one.is_closed ? "yes" : "no") },
    { label: "channels", of: (one) => String(one.channels?.length ?? 0) },
    { label: "told", of: (one) => (one.audiences ?? []).map((each) => each.name).join(", ") },
  ],
  bulk: [{ name: "is_on", label: "turn on or off", choices: () => yesNo("on", "off"), value: (key) => key === "yes" }],
  freshName: "new plan",
  fresh: [
    {
      label: "New plan",
      make: (key) => ({
        key,
        name: "New plan",
        roles: ["lead", "technical", "communications", "scribe"],
        channels: [{ name: "responders" }],
        audiences: [{ name: "everyone hit", minutes: 30, to: ["everyone affected"] }],
        checklist: [],
      }),
    },
  ],
  Editor: PlanEditor,
};

function PlanEditor({ stored }: { stored: MajorPlan }) {
  const { words, document } = useBook();
  const editing = useEntry<MajorPlan>("major_plans", stored.key, stored);
  const plan = editing.value;
  const set = (change: Partial<MajorPlan>) => editing.set({ ...plan, ...change });
  const tasks = ((document.tasks ?? []) as { key: string; name: string }[]).map(({ key, name }) => ({ key, name }));
  return (
    <>
      <EditState editing={editing} />
      <label className="flex items-baseline gap-3">
        <span className="text-ink-2">name</span>
        <TextInput label="Name" isName value={plan.name} onChange={(name) => set({ name })} />
      </label>
      <Part title="When it is offered first">
        {plan.if ? (
          <p className="text-[16px] leading-8">
            <ConditionSentence fields={fieldsOf(words)} tree={plan.if} always="anything" onChange={(tree) => set({ if: tree })} />{" "}
            <button type="button" className="why text-ink-2" onClick={() => set({ if: null })}>
              remove the condition
            </button>
          </p>
        ) : (
          <p>
            For everything that fits no other plan.{" "}
            <button
              type="button"
              className="why text-ink-2"
              onClick={() => set({ if: { all: [{ field: "service", op: "is", value: "" }] } })}
            >
              add a condition
            </button>
          </p>
        )}
      </Part>
      <Part title="Who">
        <p className="leading-8">
          <PickOne
            label="Circle"
            options={[
              { key: "open", name: "All of the desk may know of it" },
              { key: "closed", name: "Only its team and who is asked in know of it" },
            ]}
            value={plan.is_closed ? "closed" : "open"}
            onChange={(circle) => set({ is_closed: circle === "closed" })}
          />
          ; it belongs to{" "}
          <PickOne
            label="Team"
            options={[{ key: "", name: "the team of the incident" }, ...options(words.teams)]}
            value={plan.team ?? ""}
            onChange={(team) => set({ team })}
          />
          . Told on declaring are <PickPeople label="Told" value={plan.told ?? []} onChange={(told) => set({ told })} /> and all who are in
          its channels.
        </p>
        <LinesInput label="Roles to fill, one on a line" lines={plan.roles ?? []} onChange={(roles) => set({ roles })} />
      </Part>
      <Channels plan={plan} set={set} />
      <Audiences plan={plan} set={set} />
      <Part title="What is done first">
        <p className="leading-8">
          The tasks of{" "}
          <PickMany
            label="First tasks"
            options={tasks}
            placeholder="no template"
            value={plan.tasks ?? []}
            onChange={(chosen) => set({ tasks: chosen })}
          />
          .
        </p>
        <LinesInput
          label="Checklist for the first fifteen minutes, one on a line"
          lines={plan.checklist ?? []}
          onChange={(checklist) => set({ checklist })}
        />
        <LinesInput label="Folders for files, one on a line" lines={plan.folders ?? []} onChange={(folders) => set({ folders })} />
        <label className="mt-1 block text-[13px] text-ink-2">
          Where the call is; empty: as the installation says
          <TextInput
            label="Conference"
            className={`${smallInput} mt-0.5 w-full max-w-[420px] text-ink`}
            value={plan.conference ?? ""}
            onChange={(conference) => set({ conference })}
          />
        </label>
        <label className="mt-1 block text-[13px] text-ink-2">
          Template of the situation report; empty: the one that ships.{" "}
          {"{title} {call_sign} {summary} {people} {services} {duration} {timeline} {tasks} {roles}"}
          <TextInput
            label="Template of the situation report"
            isLong
            className={`${smallInput} mt-0.5 block w-full text-ink`}
            value={plan.report ?? ""}
            onChange={(report) => set({ report })}
          />
        </label>
      </Part>
      <Part title="Suggested by many reports">
        <p className="leading-8">
          Suggest a major incident when{" "}
          <Count
            label="How many reports"
            value={plan.suggested?.count ?? 5}
            min={2}
            max={500}
            onChange={(count) => set({ suggested: { ...plan.suggested, count } })}
          />{" "}
          reports of one thing come within{" "}
          <Count
            label="Within how many minutes"
            value={plan.suggested?.minutes ?? 15}
            min={1}
            max={1440}
            onChange={(minutes) => set({ suggested: { ...plan.suggested, minutes } })}
          />{" "}
          minutes. The first plan that says so counts for all.
        </p>
      </Part>
    </>
  );
}

interface PartProps {
  plan: MajorPlan;
  set: (change: Partial<MajorPlan>) => void;
}

function Count({
  label,
  value,
  min,
  max,
  onChange,
}: {
  label: string;
  value: number;
  min: number;
  max: number;
  onChange: (value: number) => void;
}) {
  return (
    <input
      type="number"
      aria-label={label}
      min={min}
      max={max}
      className={`${smallInput} w-[70px]`}
      defaultValue={value}
      onBlur={(event) => {
        const next = Math.min(max, Math.max(min, Math.round(+event.target.value || min)));
        event.target.value = String(next);
        if (next !== value) onChange(next);
      }}
    />
  );
}

function Channels({ plan, set }: PartProps) {
  const { words } = useBook();
  const channels = plan.channels ?? [];
  const change = (index: number, next: Partial<PlanChannel>) =>
    set({ channels: channels.map((one, at) => (at === index ? { ...one, ...next } : one)) });
  const people = words.people;
  return (
    <Part title="Channels">
      <ol>
        {channels.map((one, index) => (
          <li key={index} className="flex flex-wrap items-baseline gap-x-2 border-b border-line py-1 leading-8">
            <TextInput
              label={`Name of channel ${index + 1}`}
              className={`${smallInput} w-[140px]`}
              value={one.name}
              onChange={(name) => change(index, { name })}
            />
            <PickOne
              label={`Who reads ${one.name}`}
              options={[
                { key: "open", name: "for all in the room" },
                { key: "chat", name: "for all in the room, and in the outside chat" },
                { key: "closed", name: "for its members alone" },
              ]}
              value={one.is_closed ? "closed" : one.in_chat ? "chat" : "open"}
              onChange={(how) => change(index, { is_closed: how === "closed", in_chat: how === "chat" })}
            />
            <span>with</span>
            <PickMany
              label={`Teams of ${one.name}`}
              options={options(words.teams)}
              placeholder="no team"
              value={one.teams ?? []}
              onChange={(teams) => change(index, { teams })}
            />
            <span>and</span>
            <PickMany
              label={`People of ${one.name}`}
              options={people}
              value={one.people ?? []}
              onChange={(chosen) => change(index, { people: chosen })}
            />
            <span className="ml-auto flex gap-1">
              <OrderButtons
                index={index}
                count={channels.length}
                name={one.name}
                onMove={(to) => set({ channels: moved(channels, index, to) })}
              />
              <Button
                tone="quiet"
                aria-label={`Remove channel ${one.name}`}
                onClick={() => set({ channels: channels.filter((_, at) => at !== index) })}
              >
                Remove
              </Button>
            </span>
          </li>
        ))}
      </ol>
      <p className="mt-1.5">
        <Button onClick={() => set({ channels: [...channels, { name: `channel ${channels.length + 1}` }] })}>Add a channel</Button>
      </p>
    </Part>
  );
}

function Audiences({ plan, set }: PartProps) {
  const { words } = useBook();
  const audiences = plan.audiences ?? [];
  const change = (index: number, next: Partial<PlanAudience>) =>
    set({ audiences: audiences.map((one, at) => (at === index ? { ...one, ...next } : one)) });
  const whom = [...options(HEARERS), ...options(words.teams), ...words.people];
  return (
    <Part title="Who is told how it stands">
      <ol>
        {audiences.map((one, index) => (
          <li key={index} className="border-b border-line py-1.5 leading-8">
            <span className="flex flex-wrap items-baseline gap-x-2">
              <TextInput
                label={`Name of audience ${index + 1}`}
                className={`${smallInput} w-[160px]`}
                value={one.name}
                onChange={(name) => change(index, { name })}
              />
              <span>hear every</span>
              <Count
                label={`How often ${one.name} hear`}
                value={one.minutes}
                min={5}
                max={1440}
                onChange={(minutes) => change(index, { minutes })}
              />
              <span>minutes:</span>
              <PickMany label={`Who ${one.name} are`} options={whom} value={one.to ?? []} onChange={(to) => change(index, { to })} />
              <span>, shown</span>
              <PickOne
                label={`Where ${one.name} see it`}
                options={[
                  { key: "mail", name: "by mail alone" },
                  { key: "portal", name: "on the portal too" },
                  { key: "page", name: "on the portal and the status page too" },
                ]}
                value={one.on_status_page ? "page" : one.on_portal ? "portal" : "mail"}
                onChange={(where) => change(index, { on_portal: where !== "mail", on_status_page: where === "page" })}
              />
              <Button
                tone="quiet"
                className="ml-auto"
                aria-label={`Remove audience ${one.name}`}
                onClick={() => set({ audiences: audiences.filter((_, at) => at !== index) })}
              >
                Remove
              </Button>
            </span>
            <label className="block text-[13px] leading-normal text-ink-2">
              The words a draft begins with: {"{title} {call_sign} {services} {people} {since} {next} {began}"}
              <TextInput
                label={`Words for ${one.name}`}
                isLong
                className={`${smallInput} mt-0.5 block w-full text-ink`}
                value={one.words ?? ""}
                onChange={(said) => change(index, { words: said })}
              />
            </label>
          </li>
        ))}
      </ol>
      <p className="mt-1.5">
        <Button
          onClick={() =>
            set({ audiences: [...audiences, { name: `audience ${audiences.length + 1}`, minutes: 30, to: ["everyone affected"] }] })
          }
        >
          Add an audience
        </Button>
      </p>
    </Part>
  );
}
