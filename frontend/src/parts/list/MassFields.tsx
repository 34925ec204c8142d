import { asText } from "../text";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type FieldAbout, ok } from "../../api/client";
import { useChoices } from "../choices";
import { serverNow } from "../hooks";
import { MemberSelect } from "../MemberSelect";
import { localInput } from "../time";
import { Field, inputClass } from "../ui";
import type { MassAct, Params } from "./MassDialog";
import { WhenInput } from "../WhenInput";

export function startOf(act: MassAct): Params {
  if (act === "hand-over") return { team: "", person: "", comment: "" };
  if (act === "wait") return { on: "requester", reason: "", until: "", supplier: "" };
  if (act === "resolve") return { what: "", cause: "", settles: false };
  if (act === "reply" || act === "note") return { text: "" };
  return act === "change" ? { changes: {}, add_tags: [], drop_tags: [] } : {};
}

interface MassFieldsProps {
  act: MassAct;
  params: Params;
  fields: Record<string, string>;
  onChange: (change: Params) => void;
}

export function MassFields(props: MassFieldsProps) {
  if (props.act === "hand-over") return <HandOver {...props} />;
  if (props.act === "wait") return <Wait {...props} />;
  if (props.act === "change") return <Change {...props} />;
  if (props.act === "resolve")
    return (
      <>
        <Words {...props} name="what" label="What was done?" help="Every requester reads it by e-mail." rows={4} />
        <Words {...props} name="cause" label="Cause, in a word or two" rows={1} />
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={props.params.settles === true}
            onChange={(event) => props.onChange({ settles: event.target.checked })}
          />
          What is still open with them ends too: tasks are not needed, questions are withdrawn, announcements are over
        </label>
      </>
    );
  return (
    <Words
      {...props}
      name="text"
      label={props.act === "reply" ? "Reply" : "Note to the desk"}
      help={props.act === "reply" ? "It goes to each requester by mail and portal." : "Desk only, never sent."}
      rows={5}
    />
  );
}

function Words({
  params,
  fields,
  onChange,
  name,
  label,
  help,
  rows,
}: MassFieldsProps & { name: string; label: string; help?: string; rows: number }) {
  return (
    <Field label={label} error={fields[name]} help={help}>
      {(props) =>
        rows === 1 ? (
          <input
            {...props}
            className={inputClass}
            value={asText(params[name] ?? "")}
            onChange={(event) => onChange({ [name]: event.target.value })}
          />
        ) : (
          <textarea
            {...props}
            autoFocus
            rows={rows}
            className={inputClass}
            value={asText(params[name] ?? "")}
            onChange={(event) => onChange({ [name]: event.target.value })}
          />
        )
      }
    </Field>
  );
}

function HandOver({ params, fields, onChange, ...rest }: MassFieldsProps) {
  const { data: teams } = useQuery({ queryKey: ["teams"], queryFn: () => ok(api.GET("/api/teams")), staleTime: 60_000 });
  const chosen = teams?.find((team) => String(team.id) === String(params.team));
  return (
    <>
      <Field label="To team" error={fields.team}>
        {(props) => (
          <select
            {...props}
            autoFocus
            className={inputClass}
            value={String(params.team)}
            onChange={(event) => onChange({ team: event.target.value, person: "" })}
          >
            <option value="">Choose…</option>
            {teams?.map((team) => (
              <option key={team.id} value={team.id}>
                {team.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="To person" error={fields.person}>
        {(props) => (
          <MemberSelect
            props={props}
            team={chosen?.id ?? null}
            value={String(params.person)}
            nobody={chosen && chosen.mode !== "by hand" ? `whoever is next (${chosen.mode})` : "nobody yet"}
            onChange={(person) => onChange({ person })}
          />
        )}
      </Field>
      <Words
        {...rest}
        params={params}
        fields={fields}
        onChange={onChange}
        name="comment"
        label="Why"
        help="The new holders read it first."
        rows={3}
      />
    </>
  );
}

function Wait({ params, fields, onChange, ...rest }: MassFieldsProps) {
  const choices = useChoices();
  return (
    <>
      <Field label="Waiting on" error={fields.on}>
        {(props) => (
          <select
            {...props}
            autoFocus
            className={inputClass}
            value={String(params.on)}
            onChange={(event) => onChange({ on: event.target.value })}
          >
            <option value="requester">their requesters</option>
            <option value="supplier">a supplier</option>
            <option value="date">a date</option>
          </select>
        )}
      </Field>
      {params.on === "supplier" ? (
        <Field label="Which supplier" error={fields.supplier}>
          {(props) => (
            <select
              {...props}
              className={inputClass}
              value={String(params.supplier)}
              onChange={(event) => onChange({ supplier: event.target.value })}
            >
              <option value="">Choose…</option>
              {choices?.suppliers.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </select>
          )}
        </Field>
      ) : null}
      {params.on === "date" ? (
        <Field label="Until" error={fields.until}>
          {(props) => (
            <WhenInput
              props={props}

              min={localInput(serverNow())}

              value={String(params.until)}
              onChange={(next) => onChange({ until: next })}
            />
          )}
        </Field>
      ) : null}
      <Words {...rest} params={params} fields={fields} onChange={onChange} name="reason" label="What for" rows={3} />
    </>
  );
}

/** Facts that are changed by other means than the registry's setters. */
const HERE = ["service", "category", "ci", "place", "impact", "urgency", "requester", "status"];
/** Fields whose value on a ticket is a reference, so names must be turned into numbers. */
const BY_NUMBER = new Set(["service", "ci", "requester"]);

function Change({ params, fields, onChange }: MassFieldsProps) {
  const { data: all } = useQuery({ queryKey: ["fields"], queryFn: () => ok(api.GET("/api/fields")), staleTime: 300_000 });
  const choices = useChoices();
  const changes = params.changes as Record<string, unknown>;
  const settable = (all ?? []).filter(
    (field) =>
      (HERE.includes(field.name) || (field.settable && !SHIPPED.has(field.name))) && field.name !== "ci" && field.name !== "requester",
  );
  const [adding, setAdding] = useState("");
  const set = (name: string, value: unknown) => onChange({ changes: { ...changes, [name]: value } });
  return (
    <>
      {Object.keys(changes).map((name) => {
        const field = settable.find((candidate) => candidate.name === name);
        return (
          <Field key={name} label={field?.label ?? name} error={fields[name]}>
            {(props) => (
              <span className="flex gap-2">
                <Value
                  field={field}
                  id={props.id}
                  value={changes[name]}
                  services={choices?.services ?? []}
                  levels={choices}
                  onChange={(value) => set(name, value)}
                />
                <button
                  type="button"
                  className="min-w-[24px]"
                  aria-label={`Leave ${field?.label ?? name} as it is`}
                  onClick={() => onChange({ changes: Object.fromEntries(Object.entries(changes).filter(([key]) => key !== name)) })}
                >
                  ×
                </button>
              </span>
            )}
          </Field>
        );
      })}
      <Field label="Change the field" error={fields.changes}>
        {(props) => (
          <select
            {...props}
            className={inputClass}
            value={adding}
            onChange={(event) => {
              setAdding("");
              if (event.target.value) set(event.target.value, BY_NUMBER.has(event.target.value) ? null : "");
            }}
          >
            <option value="">Choose…</option>
            {settable
              .filter((field) => !(field.name in changes))
              .map((field) => (
                <option key={field.name} value={field.name}>
                  {field.label}
                </option>
              ))}
          </select>
        )}
      </Field>
      <Tags label="Add tags" name="add_tags" params={params} onChange={onChange} />
      <Tags label="Take tags away" name="drop_tags" params={params} onChange={onChange} />
    </>
  );
}

/** Settable shipped fields that have acts of their own. */
const SHIPPED = new Set([
  "title",
  "priority",
  "confidential",
  "suggested as major",
  "service",
  "category",
  "ci",
  "place",
  "impact",
  "urgency",
  "requester",
  "status",
]);

function Tags({ label, name, params, onChange }: { label: string; name: string; params: Params; onChange: (change: Params) => void }) {
  const [text, setText] = useState(((params[name] as string[] | undefined) ?? []).join(", "));
  return (
    <Field label={label} help="Separated by commas.">
      {(props) => (
        <input
          {...props}
          className={inputClass}
          value={text}
          onChange={(event) => {
            setText(event.target.value);
            onChange({
              [name]: event.target.value
                .split(",")
                .map((tag) => tag.trim())
                .filter(Boolean),
            });
          }}
        />
      )}
    </Field>
  );
}

interface ValueProps {
  id: string;
  field: FieldAbout | undefined;
  value: unknown;
  services: { id: number; name: string }[];
  levels: { impact: string[]; urgency: string[] } | undefined;
  onChange: (value: unknown) => void;
}

function Value({ id, field, value, services, levels, onChange }: ValueProps) {
  if (field?.name === "service")
    return (
      <select
        id={id}
        className={inputClass}
        value={asText(value ?? "")}
        onChange={(event) => onChange(event.target.value ? +event.target.value : null)}
      >
        <option value="">no service</option>
        {services.map((service) => (
          <option key={service.id} value={service.id}>
            {service.name}
          </option>
        ))}
      </select>
    );
  if (field?.name === "impact" || field?.name === "urgency")
    return (
      <select id={id} className={inputClass} value={asText(value ?? "")} onChange={(event) => onChange(+event.target.value)}>
        <option value="">Choose…</option>
        {(levels?.[field.name] ?? []).map((label, index) => (
          <option key={label} value={index + 1}>
            {label}
          </option>
        ))}
      </select>
    );
  if (field?.type === "yes/no")
    return (
      <select
        id={id}
        className={inputClass}
        value={value === true ? "yes" : value === false ? "no" : ""}
        onChange={(event) => onChange(event.target.value === "yes")}
      >
        <option value="">Choose…</option>
        <option>yes</option>
        <option>no</option>
      </select>
    );
  if (field && field.choices.length > 0 && field.type === "choice")
    return (
      <select id={id} className={inputClass} value={asText(value ?? "")} onChange={(event) => onChange(event.target.value)}>
        <option value="">nothing</option>
        {field.choices.map((choice) => (
          <option key={choice}>{choice}</option>
        ))}
      </select>
    );
  const isNumber = field?.type === "number";
  return (
    <input
      id={id}
      type={isNumber ? "number" : field?.type === "date" ? "date" : "text"}
      className={inputClass}
      value={asText(value ?? "")}
      onChange={(event) => onChange(isNumber ? (event.target.value === "" ? null : +event.target.value) : event.target.value)}
    />
  );
}
