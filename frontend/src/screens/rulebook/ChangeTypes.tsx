import { useBook } from "./data";
import { entriesOf } from "./edits";
import { moved, options, OrderButtons, Part, PickMany, PickOne, smallInput, TextInput } from "./parts";

interface ChangeStage {
  key: string;
  name: string;
  within: string;
  needs?: string[];
  spares?: string[];
}

export interface ChangeType {
  key: string;
  name: string;
  like: string;
  needs?: string[];
  spares?: string[];
  route?: string;
  cab?: string[];
  stages?: ChangeStage[];
}

const NEEDS: [string, string][] = [
  ["why", "why it is needed"],
  ["service", "its service"],
  ["items", "the items"],
  ["span", "its time"],
  ["plan", "the steps"],
  ["test", "a test"],
  ["backout", "a way back"],
  ["tried", "where it was tried"],
];
const WITHIN: [string, string][] = [
  ["draft", "the draft"],
  ["assess", "assessing"],
  ["planned", "the wait for its time"],
  ["under way", "carrying it out"],
  ["look back", "looking back"],
];
export const RATINGS = ["low", "moderate", "high", "critical"];

function newKey(of: string): string {
  return `${of}-${Date.now().toString(36)}`;
}

/** The types of change: what each needs, who authorises it, and the stages that it goes through. */
export function ChangeTypes({ types, onChange }: { types: ChangeType[]; onChange: (types: ChangeType[]) => void }) {
  const { document } = useBook();
  const routes = entriesOf<{ key: string; name: string }>(document, "routes");
  const fields = entriesOf<{ key: string; label: string }>(document, "fields");
  const needs = [
    ...NEEDS.map(([key, name]) => ({ key, name })),
    ...fields.map((one) => ({ key: `field.${one.key}`, name: one.label.toLowerCase() })),
  ];
  const setType = (key: string, change: Partial<ChangeType>) =>
    onChange(types.map((one) => (one.key === key ? { ...one, ...change } : one)));
  return (
    <Part title="Types">
      <ul className="flex flex-col gap-3">
        {types.map((one) => (
          <li key={one.key} className="rounded-small border border-line px-3 py-2">
            <label className="flex flex-wrap items-baseline gap-2">
              <TextInput label="Name of the type" isName value={one.name} onChange={(name) => setType(one.key, { name })} />
              <span className="text-ink-2">judged like {one.like === "emergency" ? "an" : "a"}</span>
              <PickOne
                label="Judged like"
                options={options(["standard", "normal", "emergency"])}
                value={one.like}
                onChange={(like) => setType(one.key, { like })}
              />
              <span className="text-ink-2">one</span>
              <button
                type="button"
                className="ml-auto min-h-[24px] text-[13px] underline"
                aria-label={`Remove the type ${one.name}`}
                onClick={() => onChange(types.filter((each) => each.key !== one.key))}
              >
                remove
              </button>
            </label>
            <p className="mt-1 text-[15px] leading-8">
              needs{" "}
              <PickMany
                label={`What ${one.name} needs`}
                options={needs}
                value={one.needs ?? []}
                onChange={(chosen) => setType(one.key, { needs: chosen })}
                placeholder="nothing"
              />{" "}
              before it is submitted (a change manager may leave{" "}
              <PickMany
                label={`What a change manager may leave open, ${one.name}`}
                options={needs.filter((each) => one.needs?.includes(each.key))}
                value={one.spares ?? []}
                onChange={(chosen) => setType(one.key, { spares: chosen })}
                placeholder="nothing"
              />{" "}
              open); authorised by{" "}
              <PickOne
                label={`Who authorises ${one.name}`}
                options={[{ key: "", name: "nobody: authorised beforehand" }, ...routes]}
                value={one.route ?? ""}
                onChange={(route) => setType(one.key, { route })}
              />
              ; to the CAB when its risk is{" "}
              <PickMany
                label={`To the CAB, ${one.name}`}
                options={options(RATINGS)}
                value={one.cab ?? []}
                onChange={(chosen) => setType(one.key, { cab: RATINGS.filter((each) => chosen.includes(each)) })}
                placeholder="never"
                joiner="or"
              />
              .
            </p>
            <Stages type={one} needs={needs} onChange={(stages) => setType(one.key, { stages })} />
          </li>
        ))}
      </ul>
      <button
        type="button"
        className="mt-1 min-h-[28px] underline"
        onClick={() =>
          onChange([
            ...types,
            { key: newKey("type"), name: "New type", like: "normal", needs: ["why", "items", "span", "plan", "backout"] },
          ])
        }
      >
        Another type
      </button>
    </Part>
  );
}

/** The stages that a type adds within those that ship, each with what is needed to leave it. */
function Stages({
  type,
  needs,
  onChange,
}: {
  type: ChangeType;
  needs: { key: string; name: string }[];
  onChange: (stages: ChangeStage[]) => void;
}) {
  const stages = type.stages ?? [];
  const set = (index: number, change: Partial<ChangeStage>) =>
    onChange(stages.map((one, at) => (at === index ? { ...one, ...change } : one)));
  return (
    <>
      <ol aria-label={`Stages that ${type.name} adds`}>
        {stages.map((one, index) => (
          <li key={one.key} className="flex flex-wrap items-baseline gap-2 py-0.5 text-[15px] leading-8">
            <TextInput
              className={`${smallInput} w-[190px]`}
              label={`Stage ${index + 1} of ${type.name}`}
              value={one.name}
              onChange={(name) => set(index, { name })}
            />
            <span>
              within{" "}
              <PickOne
                label={`Within which stage, ${one.name}`}
                options={WITHIN.map(([key, name]) => ({ key, name }))}
                value={one.within}
                onChange={(within) => set(index, { within })}
              />
              ; left when there is{" "}
              <PickMany
                label={`What ${one.name} needs`}
                options={needs}
                value={one.needs ?? []}
                onChange={(chosen) => set(index, { needs: chosen })}
                placeholder="nothing more"
              />
              , of which a change manager may leave{" "}
              <PickMany
                label={`What a change manager may leave open in ${one.name}`}
                options={needs.filter((each) => one.needs?.includes(each.key))}
                value={one.spares ?? []}
                onChange={(chosen) => set(index, { spares: chosen })}
                placeholder="nothing"
              />{" "}
              open
            </span>
            <OrderButtons name={one.name} index={index} count={stages.length} onMove={(to) => onChange(moved(stages, index, to))} />
            <button
              type="button"
              className="min-h-[24px] text-[13px] underline"
              aria-label={`Remove the stage ${one.name}`}
              onClick={() => onChange(stages.filter((_, at) => at !== index))}
            >
              remove
            </button>
          </li>
        ))}
      </ol>
      <button
        type="button"
        className="min-h-[24px] text-[13px] underline"
        onClick={() => onChange([...stages, { key: newKey("stage"), name: "New stage", within: "assess" }])}
      >
        Add a stage to {type.name}
      </button>
    </>
  );
}
