import { currencySign } from "../../parts/money";
import { useQuery } from "@tanstack/react-query";
import { api, ok } from "../../api/client";
import type { Tree } from "../../parts/condition/tree";
import { useDebounced } from "../../parts/hooks";
import { type Entry, useBook } from "./data";
import { options, PickOne, smallInput, TextInput } from "./parts";

export interface RouteStage extends Entry {
  name?: string;
  if?: Tree | null;
  approvers: { who: string; of?: string }[];
  quorum?: "any" | "all" | { of: number };
  fallback?: string;
  remind_seconds?: number;
  decide_seconds?: number;
  when_passed?: string;
  by_link?: "always" | "never" | { up_to_pence: number };
}

export interface Route extends Entry {
  name: string;
  owner?: string;
  stages: RouteStage[];
}

const WHO = [
  "line manager",
  "beneficiary's line manager",
  "cost centre owner",
  "service owner",
  "technical owner",
  "team",
  "board",
  "person",
];

const SHIPPED_UP_TO = 50_000;

/** What the link of a mail, or an answer to it, may decide without signing in. */
export function ByLink({ stage, onChange }: { stage: RouteStage; onChange: (next: RouteStage["by_link"]) => void }) {
  const said = stage.by_link ?? { up_to_pence: SHIPPED_UP_TO };
  const kind = typeof said === "object" ? "up to" : said;
  return (
    <>
      <PickOne
        label="By the link of the mail"
        options={[
          { key: "up to", name: "by the mail’s link up to" },
          { key: "always", name: "by the mail’s link or signed in" },
          { key: "never", name: "only signed in" },
        ]}
        value={kind}
        onChange={(next) => onChange(next === "always" || next === "never" ? next : { up_to_pence: SHIPPED_UP_TO })}
      />
      {typeof said === "object" ? (
        <>
          {" "}
          {currencySign()}
          <TextInput
            label="By link up to"
            className={`${smallInput} w-20`}
            value={String(said.up_to_pence / 100)}
            onChange={(text) => onChange({ up_to_pence: Math.max(0, Math.round(+text * 100) || 0) })}
          />{" "}
          (once and over a year), above it signed in
        </>
      ) : null}
    </>
  );
}

export function Approvers({ stage, onChange }: { stage: RouteStage; onChange: (approvers: RouteStage["approvers"]) => void }) {
  const { words } = useBook();
  const replace = (at: number, next: RouteStage["approvers"][number]) =>
    onChange(stage.approvers.map((old, index) => (index === at ? next : old)));
  return (
    <>
      {stage.approvers.map((entry, index) => (
        <span key={index}>
          {index > 0 ? " and " : ""}
          <PickOne label="Who" options={options(WHO)} value={entry.who} onChange={(who) => replace(index, { who })} />
          {entry.who === "person" ? (
            <>
              {" "}
              <PickOne
                label="Which person"
                options={words.deciders}
                value={entry.of ?? ""}
                onChange={(of) => replace(index, { ...entry, of })}
              />
            </>
          ) : null}
          {entry.who === "team" || entry.who === "board" ? (
            <>
              {" "}
              <PickOne
                label={entry.who === "board" ? "Which board" : "Which team"}
                options={options(entry.who === "board" ? words.boards : words.teams)}
                value={entry.of ?? ""}
                onChange={(of) => replace(index, { ...entry, of })}
              />
            </>
          ) : null}
          {stage.approvers.length > 1 ? (
            <button
              type="button"
              aria-label={`Do not ask the ${entry.who}`}
              className="min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
              onClick={() => onChange(stage.approvers.filter((_, at) => at !== index))}
            >
              ×
            </button>
          ) : null}
        </span>
      ))}{" "}
      <button type="button" className="why text-ink-2" onClick={() => onChange([...stage.approvers, { who: "service owner" }])}>
        + somebody else
      </button>
    </>
  );
}

/** Every outcome of the route with an example; one that leaves a request with nobody stands out. */
export function DeadEnds({ route }: { route: Route }) {
  const late = useDebounced(JSON.stringify(route), 400);
  const { data } = useQuery({
    queryKey: ["route-ends", late],
    queryFn: () => ok(api.POST("/api/rulebook/route-ends", { body: { route: JSON.parse(late) as never } })),
    placeholderData: (old) => old,
  });
  if (!data) return null;
  return (
    <section aria-label="What it can come to" className="mt-3 border-t border-line pt-2">
      <h3 className="font-bold">
        What it can come to{" "}
        <span className="text-[13px] font-normal text-ink-2">
          {data.is_complete
            ? `all ${data.combinations} combinations tried`
            : `${data.combinations} combinations are too many: all pairs tried`}
        </span>
      </h3>
      {data.wrong.map((words) => (
        <p key={words} className="font-semibold text-rust">
          {words}
        </p>
      ))}
      <ul className="mt-1">
        {data.ends.map((end) => (
          <li
            key={end.stages.join("/")}
            className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-3 border-b border-line py-1 last:border-0"
          >
            <span className={end.problem ? "font-bold text-rust" : ""}>
              {end.problem || (end.stages.length === 0 ? "approved by itself" : end.stages.join(", then "))}
            </span>
            <span className="text-[13px] text-ink-2">{end.example ? `for example ${end.example}` : "always"}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
