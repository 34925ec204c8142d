import { useQuery } from "@tanstack/react-query";
import { api, ok } from "../../api/client";
import { MemberSelect } from "../../parts/MemberSelect";
import { Field, inputClass } from "../../parts/ui";
import type { Call, LogPreview } from "./call";

interface AssigneeProps {
  call: Call;
  preview: LogPreview | undefined;
  errors: Record<string, string>;
  set: (change: Partial<Call>) => void;
}

/** Who gets it: as it would be routed, oneself, or a team and somebody of it. */
export function Assignee({ call, preview, errors, set }: AssigneeProps) {
  const { data: teams } = useQuery({ queryKey: ["teams"], queryFn: () => ok(api.GET("/api/teams")), staleTime: 60_000 });
  const routed = call.assign === "routed" && preview ? [preview.team, preview.person].filter(Boolean).join(", ") : "";
  const ways = [
    { key: "routed", name: "As routed", note: routed },
    { key: "me", name: "Assign to me", note: "you begin with it" },
    { key: "other", name: "Another…", note: "team or person" },
  ] as const;
  return (
    <fieldset>
      <legend className="font-semibold text-ink-2">Assignee</legend>
      <div className="mt-1 grid grid-cols-3 gap-2 max-[600px]:grid-cols-1">
        {ways.map((way) => (
          <label
            key={way.key}
            className={`flex items-start gap-2 rounded-small border px-2.5 py-1.5 ${call.assign === way.key ? "border-sea bg-sea-3" : "border-line-2"}`}
          >
            <input
              type="radio"
              name="assign"
              className="mt-1"
              checked={call.assign === way.key}
              onChange={() => set({ assign: way.key })}
            />
            <span className="min-w-0">
              <span className="block font-semibold">{way.name}</span>
              <span className="block truncate text-[13px] text-ink-2">{way.note}</span>
            </span>
          </label>
        ))}
      </div>
      {call.assign === "other" ? (
        <div className="mt-2 grid grid-cols-2 gap-3 max-[600px]:grid-cols-1">
          <Field label="Team" error={errors.team}>
            {(props) => (
              <select
                {...props}
                className={inputClass}
                value={call.team}
                onChange={(event) => set({ team: event.target.value, member: "" })}
              >
                <option value="">As routed</option>
                {teams?.map((team) => (
                  <option key={team.id} value={team.id}>
                    {team.name}
                  </option>
                ))}
              </select>
            )}
          </Field>
          <Field label="Person" error={errors.person}>
            {(props) => (
              <MemberSelect
                props={props}
                team={call.team ? +call.team : null}
                value={call.member}
                nobody="as the team works"
                onChange={(member) => set({ member })}
              />
            )}
          </Field>
        </div>
      ) : errors.person ? (
        <p role="alert" className="text-rust">
          {errors.person}
        </p>
      ) : null}
    </fieldset>
  );
}
