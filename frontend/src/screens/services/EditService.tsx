import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useChoices } from "../../parts/choices";
import { Finder } from "../../parts/Finder";
import { useDraft } from "../../parts/hooks";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { findPeople } from "./findNodes";
import { CRITICALITIES, LIVES } from "./words";

type Service = components["schemas"]["ServicePageShape"];
type Change = components["schemas"]["ChangeServiceShapeRequest"];

const NUMBERS = ["criticality", "default_impact", "default_urgency"];
const IDS = ["team", "owner", "technical_owner"];
const OWNERS = [
  { label: "Business owner", name: "owner" },
  { label: "Technical owner", name: "technical_owner" },
] as const;

/** Recording a service, or changing one with why; what was typed is kept until it is saved. */
export function EditService({ service, onClose }: { service: Service | null; onClose: () => void }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const choices = useChoices();
  const draft = useDraft<Record<string, string>>(service ? `service-${service.id}` : "service-new", { why: "" });
  const [problem, setProblem] = useState<unknown>(null);
  const [wrong, setWrong] = useState<Record<string, string>>({});
  const [isBusy, setBusy] = useState(false);
  const { data: teams } = useQuery({ queryKey: ["teams"], queryFn: () => ok(api.GET("/api/teams")), staleTime: 60_000 });
  const fields: Record<string, string> = { ...(problem instanceof Problem ? problem.fields : {}), ...wrong };
  const stored: Record<string, string> = {
    name: service?.name ?? "",
    plain: service?.plain ?? "",
    words: service?.words ?? "",
    life: service?.life ?? "in use",
    criticality: String(service?.criticality ?? 3),
    team: String(service?.team_id ?? ""),
    category: service?.category ?? "",
    supplier: service?.supplier ?? "",
    contract: service?.contract ?? "",
    departments: service?.departments.join(", ") ?? "",
    default_impact: String(service?.default_impact ?? choices?.impact.length ?? 3),
    default_urgency: String(service?.default_urgency ?? choices?.urgency.length ?? 3),
  };
  const value = (name: string) => draft.body[name] ?? stored[name] ?? "";
  const text = (label: string, name: string, help?: string) => (
    <Field label={label} error={fields[name]} help={help}>
      {(props) => (
        <input {...props} className={inputClass} value={value(name)} onChange={(event) => draft.set({ [name]: event.target.value })} />
      )}
    </Field>
  );
  const select = (label: string, name: string, options: [string, string][]) => (
    <Field label={label} error={fields[name]}>
      {(props) => (
        <select {...props} className={inputClass} value={value(name)} onChange={(event) => draft.set({ [name]: event.target.value })}>
          {options.map(([key, words]) => (
            <option key={key} value={key}>
              {words}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
  const levels = (words: string[] | undefined) => (words ?? []).map((one, index): [string, string] => [String(index + 1), one]);
  const save = async () => {
    const lost = OWNERS.filter(({ name }) => draft.body[name] === "" && draft.body[`${name} name`]?.trim());
    setWrong(Object.fromEntries(lost.map(({ name }) => [name, "Choose somebody from the list, or leave this empty."])));
    if (lost.length > 0) return;
    const given: Record<string, unknown> = {};
    for (const name of [...Object.keys(stored), ...OWNERS.map((one) => one.name)]) {
      const said = draft.body[name] ?? (service ? undefined : stored[name]);
      if (said === undefined) continue;
      if (NUMBERS.includes(name)) given[name] = Number(said);
      else if (IDS.includes(name)) given[name] = said ? Number(said) : null;
      else if (name === "departments") given[name] = said.split(",");
      else given[name] = said;
    }
    const body = { ...given, why: draft.body.why ?? "" } as Change;
    setBusy(true);
    try {
      const after = service
        ? await ok(api.PATCH("/api/services/{number}", { params: { path: { number: service.id } }, body }))
        : await ok(api.POST("/api/services/new", { body: { name: "", ...body } }));
      queries.setQueryData(["service", after.id], after);
      for (const key of ["services", "map", "choices"]) void queries.invalidateQueries({ queryKey: [key] });
      draft.clear();
      toast(service ? "Changed." : `${after.name} is recorded.`);
      onClose();
      if (!service) void navigate(`/desk/services/${after.id}`);
    } catch (error) {
      setProblem(error);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Dialog
      title={service ? `Change ${service.name}` : "Record a service"}
      about="What you type is kept until it is saved."
      isOpen
      onClose={onClose}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy) void save();
        }}
      >
        {text("Name", "name")}
        {text("In the words of those who use it", "plain")}
        {text("Words that find it", "words", "Separated by commas")}
        <div className="grid grid-cols-2 gap-3 max-[500px]:grid-cols-1">
          {select(
            "Life",
            "life",
            LIVES.map((one) => [one, one]),
          )}
          {select(
            "How vital",
            "criticality",
            CRITICALITIES.map((one, index) => [String(index + 1), one]),
          )}
          {select("Team", "team", [["", "None"], ...(teams ?? []).map((one): [string, string] => [String(one.id), one.name])])}
          {select("Category of its tickets", "category", [
            ["", "None"],
            ...(choices?.categories ?? []).map((one): [string, string] => [one, one]),
          ])}
          {select("Usual impact", "default_impact", levels(choices?.impact))}
          {select("Usual urgency", "default_urgency", levels(choices?.urgency))}
        </div>
        <div className="grid grid-cols-2 gap-3 max-[500px]:grid-cols-1">
          {OWNERS.map((one) => (
            <Field key={one.name} label={one.label} error={fields[one.name]} help="Empty: nobody">
              {(props) => (
                <Finder
                  props={props}
                  what="people"
                  find={findPeople}
                  nothing="Nobody is called that."
                  name={draft.body[`${one.name} name`] ?? service?.[one.name] ?? ""}
                  onName={(name) => draft.set({ [`${one.name} name`]: name, [one.name]: "" })}
                  onPick={(found) => draft.set({ [`${one.name} name`]: found.name, [one.name]: String(found.id) })}
                />
              )}
            </Field>
          ))}
          {text("Supplier", "supplier")}
          {text("Contract", "contract")}
        </div>
        {text("Used by", "departments", "Departments, separated by commas")}
        {text(service ? "Why it is changed" : "Why it is recorded", "why", "It stays in the history of the service.")}
        {problem && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(problem)}</ErrorNote> : null}
        <span className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea" disabled={isBusy}>
            {service ? "Save" : "Record it"}
          </Button>
        </span>
      </form>
    </Dialog>
  );
}
