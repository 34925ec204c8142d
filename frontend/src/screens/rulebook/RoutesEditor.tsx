import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import { Button } from "../../parts/ui";
import { useBook, useEntry } from "./data";
import { keyFrom } from "./edits";
import { EditState, moved, OrderButtons, PickOne, smallInput, SpanInput, TextInput } from "./parts";
import { isAlways, tidy } from "./offers";
import { type RouteStage, type Route, ByLink, Approvers, DeadEnds } from "./routes";
import type { SectionSpec } from "./section/spec";

export const routes: SectionSpec<Route> = {
  section: "routes",
  title: "Approval routes",
  one: "approval route",
  about:
    "Who must approve what, in which order. No stage that applies: approved by itself. A route that could leave a request with nobody cannot be published.",
  nameOf: (one) => one.name,
  freshName: "New route",
  columns: [
    { label: "stages", of: (one) => one.stages.map((stage) => stage.name || "unnamed").join(", then ") },
    { label: "owner", of: (one, { words }) => words.deciders.find((person) => person.key === one.owner)?.name ?? "–" },
  ],
  bulk: [{ name: "owner", label: "owner", choices: ({ words }) => words.deciders }],
  fresh: [
    {
      label: "New route",
      make: (key, { words }) => {
        const somebody = words.deciders[0]?.key ?? "";
        return {
          key,
          name: "New route",
          owner: somebody,
          stages: [
            {
              key: "manager",
              name: "Line manager",
              approvers: [{ who: "beneficiary's line manager" }],
              quorum: "any",
              fallback: somebody,
            },
          ],
        };
      },
    },
  ],
  Editor: RouteEditor,
};

function RouteEditor({ stored }: { stored: Route }) {
  const { words } = useBook();
  const editing = useEntry<Route>("routes", stored.key, stored);
  const one = editing.value;
  const set = (change: Partial<Route>) => editing.set({ ...one, ...change });
  const replace = (at: number, change: Partial<RouteStage>) =>
    set({ stages: one.stages.map((old, index) => (index === at ? tidy({ ...old, ...change }) : old)) });
  const people = words.deciders;
  return (
    <article>
      <EditState editing={editing} />
      <p className="leading-8">
        <TextInput
          label="Name of the route"
          isName
          className={`${smallInput} w-56 font-bold`}
          value={one.name}
          onChange={(name) => set({ name })}
        />{" "}
        – owner: <PickOne label="Owner" options={people} value={one.owner ?? ""} onChange={(owner) => set({ owner })} />.
      </p>
      <ol>
        {one.stages.map((stage, index) => (
          <li key={stage.key} className="mt-2 rounded-small border border-line px-3 py-2">
            <p className="leading-8">
              <OrderButtons
                index={index}
                count={one.stages.length}
                name={stage.name ?? stage.key}
                onMove={(to) => set({ stages: moved(one.stages, index, to) })}
              />{" "}
              <TextInput
                label="Name of the stage"
                className={`${smallInput} w-48 font-bold`}
                value={stage.name ?? stage.key}
                onChange={(name) => replace(index, { name })}
              />
              , asked{" "}
              <ConditionSentence
                fields={words.route_fields as never}
                tree={stage.if ?? { all: [] }}
                always="always"
                onChange={(tree) => replace(index, { if: isAlways(tree) ? null : tree })}
              />
              : <Approvers stage={stage} onChange={(approvers) => replace(index, { approvers })} />;{" "}
              <PickOne
                label="How many"
                options={[
                  { key: "any", name: "the first who answers" },
                  { key: "all", name: "all must approve" },
                  ...[2, 3, 4].map((count) => ({ key: String(count), name: `${count} must approve` })),
                ]}
                value={typeof stage.quorum === "object" ? String(stage.quorum.of) : (stage.quorum ?? "any")}
                onChange={(next) => replace(index, { quorum: next === "any" || next === "all" ? next : { of: +next } })}
              />
              ; if nobody can approve:{" "}
              <PickOne
                label="Fallback"
                placeholder="choose a fallback"
                options={people}
                value={stage.fallback ?? ""}
                onChange={(fallback) => replace(index, { fallback })}
              />
              .
            </p>
            <p className="text-ink-2">
              Reminded after{" "}
              <SpanInput
                label="Reminder"
                canBeEmpty
                seconds={stage.remind_seconds}
                onChange={(seconds) => replace(index, seconds ? { remind_seconds: seconds } : { remind_seconds: undefined })}
              />
              , to be approved within{" "}
              <SpanInput
                label="Approve within"
                canBeEmpty
                seconds={stage.decide_seconds}
                onChange={(seconds) => replace(index, seconds ? { decide_seconds: seconds } : { decide_seconds: undefined })}
              />
              ; then{" "}
              <PickOne
                label="When passed"
                options={[
                  { key: "remind", name: "reminded again" },
                  { key: "fallback", name: "passed to the fallback" },
                  { key: "refuse", name: "rejected" },
                ]}
                value={stage.when_passed ?? "remind"}
                onChange={(when_passed) => replace(index, { when_passed })}
              />
              . Decided <ByLink stage={stage} onChange={(by_link) => replace(index, { by_link })} />.
              <button
                type="button"
                aria-label={`remove the stage ${stage.name ?? stage.key}`}
                className="ml-2 min-h-[24px] underline hover:text-rust"
                onClick={() => set({ stages: one.stages.filter((_, at) => at !== index) })}
              >
                remove
              </button>
            </p>
          </li>
        ))}
      </ol>
      <div className="mt-2 flex justify-between">
        <Button
          onClick={() => {
            const key = keyFrom(
              "Stage",
              one.stages.map((stage) => stage.key),
            );
            set({
              stages: [
                ...one.stages,
                {
                  key,
                  name: "New stage",
                  approvers: [{ who: "service owner" }],
                  quorum: "any",
                  ...(one.owner ? { fallback: one.owner } : {}),
                },
              ],
            });
          }}
        >
          New stage
        </Button>
      </div>
      <DeadEnds route={one} />
    </article>
  );
}
