import { useQuery } from "@tanstack/react-query";
import { api, ok } from "../../api/client";
import type { components } from "../../api/schema";
import { useChoices } from "../../parts/choices";
import { Finder } from "../../parts/Finder";
import { Field, inputClass } from "../../parts/ui";
import { findPeople } from "./findNodes";

type Item = components["schemas"]["ItemShape"];

interface WhoseProps {
  item: Item;
  body: Record<string, string>;
  errors: Record<string, string>;
  set: (change: Record<string, string>) => void;
}

const PEOPLE = [
  ["owner", "Technical owner"],
  ["business_owner", "Business owner"],
  ["used_by", "Used by"],
] as const;

/** Who answers for an item and who uses it, its team and its service. */
export function Whose({ item, body, errors, set }: WhoseProps) {
  const choices = useChoices();
  const { data: teams } = useQuery({ queryKey: ["teams"], queryFn: () => ok(api.GET("/api/teams")), staleTime: 60_000 });
  return (
    <>
      <div className="grid grid-cols-2 gap-3 max-[500px]:grid-cols-1">
        <Field label="Service" error={errors.service}>
          {(props) => (
            <select
              {...props}
              className={inputClass}
              value={body.service ?? String(item.service_id ?? "")}
              onChange={(event) => set({ service: event.target.value })}
            >
              <option value="">None</option>
              {choices?.services.map((one) => (
                <option key={one.id} value={one.id}>
                  {one.name}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="Team" error={errors.team}>
          {(props) => (
            <select
              {...props}
              className={inputClass}
              value={body.team ?? String(item.team_id ?? "")}
              onChange={(event) => set({ team: event.target.value })}
            >
              <option value="">None</option>
              {teams?.map((one) => (
                <option key={one.id} value={one.id}>
                  {one.name}
                </option>
              ))}
            </select>
          )}
        </Field>
      </div>
      {PEOPLE.map(([name, label]) => (
        <Field key={name} label={label} error={errors[name]} help="Empty: nobody">
          {(props) => (
            <Finder
              props={props}
              what="people"
              find={findPeople}
              nothing="Nobody is called that."
              name={body[`${name} name`] ?? item[name]}
              onName={(text) => set({ [`${name} name`]: text, [name]: "" })}
              onPick={(found) => set({ [`${name} name`]: found.name, [name]: String(found.id) })}
            />
          )}
        </Field>
      ))}
    </>
  );
}

/** What of it was changed, as the server takes it; a name that nobody was chosen for is refused here. */
export function whoseBody(body: Record<string, string>): { given: Record<string, number | null>; wrong: Record<string, string> } {
  const given: Record<string, number | null> = {};
  const wrong: Record<string, string> = {};
  for (const name of ["service", "team", "owner", "business_owner", "used_by"]) {
    if (body[name] === undefined) continue;
    const typed = body[`${name} name`]?.trim() ?? "";
    if (body[name] === "" && typed !== "") wrong[name] = "Choose somebody from the list, or leave this empty.";
    else given[name] = body[name] === "" ? null : Number(body[name]);
  }
  return { given, wrong };
}
