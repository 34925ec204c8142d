import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok } from "../api/client";
import { Buttons, type FormProps, useActForm } from "./actForm";
import { serverNow, useDraft } from "./hooks";
import { MemberSelect } from "./MemberSelect";
import { instantOfLocal, localInput } from "./time";
import { ErrorNote, Field, inputClass } from "./ui";
import { useChoices } from "./choices";
import { WhenInput } from "./WhenInput";

export function WaitForm({ ticket, onClose }: FormProps) {
  const draft = useDraft(`wait-${ticket.id}`, { on: "requester", reason: "", until: "", supplier: "" });
  const { reason, until, supplier } = draft.body;
  const form = useActForm(ticket, "wait", () => {
    draft.clear();
    onClose();
  });
  const choices = useChoices();
  const kinds = [
    ["requester", ticket.facts.requester.name],
    ["supplier", "a supplier"],
    ["date", "a date"],
  ] as const;
  const allowed = ticket.waits;
  const first = kinds.find(([key]) => allowed.includes(key))?.[0];
  const on = allowed.includes(draft.body.on) ? draft.body.on : (first ?? "requester");
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        form.send({
          on,
          reason,
          supplier: on === "supplier" ? supplier : "",
          until: on === "date" && until ? new Date(instantOfLocal(until) * 1000).toISOString() : null,
          version: ticket.version,
        });
      }}
    >
      <fieldset className="mb-3">
        <legend className="mb-1 font-semibold text-ink-2">Waiting on</legend>
        <div className="flex flex-wrap gap-x-5 gap-y-1">
          {kinds
            .filter(([key]) => allowed.includes(key))
            .map(([key, label]) => (
              <label key={key} className="flex items-center gap-1.5">
                <input type="radio" name="on" checked={on === key} onChange={() => draft.set({ on: key })} />
                {label}
              </label>
            ))}
        </div>
      </fieldset>
      <div className="flex flex-col gap-3">
        {on === "supplier" ? (
          <Field label="Which supplier" error={form.fields.supplier}>
            {(props) => (
              <select {...props} className={inputClass} value={supplier} onChange={(event) => draft.set({ supplier: event.target.value })}>
                <option value="">Choose…</option>
                {choices?.suppliers.map((name) => (
                  <option key={name}>{name}</option>
                ))}
              </select>
            )}
          </Field>
        ) : null}
        {on === "date" ? (
          <Field label="Until" error={form.fields.until}>
            {(props) => (
              <WhenInput
                props={props}

                min={localInput(serverNow())}

                value={until}
                onChange={(next) => draft.set({ until: next })}
              />
            )}
          </Field>
        ) : null}
        <Field
          label="What for"
          error={form.fields.reason}
          help={on === "requester" ? "Their answer by portal or mail takes it up again by itself." : undefined}
        >
          {(props) => (
            <textarea
              {...props}
              autoFocus
              rows={3}
              className={inputClass}
              value={reason}
              onChange={(event) => draft.set({ reason: event.target.value })}
            />
          )}
        </Field>
        {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      </div>
      <Buttons label="Wait" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

export function HandOverForm({ ticket, onClose }: FormProps) {
  const draft = useDraft(`hand-over-${ticket.id}`, { team: "", person: "", comment: "" });
  const { team, person, comment } = draft.body;
  const form = useActForm(ticket, "hand-over", () => {
    draft.clear();
    onClose();
  });
  const { data: teams } = useQuery({ queryKey: ["teams"], queryFn: () => ok(api.GET("/api/teams")), staleTime: 60_000 });
  const chosen = teams?.find((candidate) => String(candidate.id) === team);
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        form.send({ team: team ? +team : 0, person: person ? +person : null, comment, version: ticket.version });
      }}
    >
      <Field label="To team" error={form.fields.team}>
        {(props) => (
          <select
            {...props}
            autoFocus
            className={inputClass}
            value={team}
            onChange={(event) => draft.set({ team: event.target.value, person: "" })}
          >
            <option value="">Choose…</option>
            {teams?.map((candidate) => (
              <option key={candidate.id} value={candidate.id}>
                {candidate.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field
        label="To person"
        error={form.fields.person}
        help={chosen && !person ? `Nobody chosen: ${chosen.name} works ${chosen.mode}.` : undefined}
      >
        {(props) => (
          <MemberSelect
            props={props}
            team={team ? +team : null}
            value={person}
            nobody={chosen && chosen.mode !== "by hand" ? `whoever is next (${chosen.mode})` : "nobody yet"}
            onChange={(next) => draft.set({ person: next })}
          />
        )}
      </Field>
      <Field label="Why" error={form.fields.comment} help="The new assignee reads it first, by notification and mail.">
        {(props) => (
          <textarea
            {...props}
            rows={3}
            className={inputClass}
            value={comment}
            onChange={(event) => draft.set({ comment: event.target.value })}
          />
        )}
      </Field>
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label="Hand over" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

export function PriorityForm({ ticket, onClose }: FormProps) {
  const draft = useDraft(`priority-${ticket.id}`, { reason: "" });
  const [priority, setPriority] = useState(ticket.facts.priority);
  const choices = useChoices();
  const form = useActForm(ticket, "priority", () => {
    draft.clear();
    onClose();
  });
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        form.send({ priority, reason: draft.body.reason, version: ticket.version });
      }}
    >
      <Field
        label="Priority"
        error={form.fields.priority}
        help={`The matrix gives it from ${ticket.facts.impact_label.toLowerCase()} and ${ticket.facts.urgency_label.toLowerCase()}.`}
      >
        {(props) => (
          <select {...props} autoFocus className={inputClass} value={priority} onChange={(event) => setPriority(+event.target.value)}>
            {(choices?.priorities ?? [priority]).map((value) => (
              <option key={value} value={value}>
                P{value}
                {value === ticket.facts.priority ? " (now)" : ""}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="Why" error={form.fields.reason} help="The clocks are read again with the new targets; nothing is reset.">
        {(props) => (
          <textarea
            {...props}
            rows={2}
            className={inputClass}
            value={draft.body.reason}
            onChange={(event) => draft.set({ reason: event.target.value })}
          />
        )}
      </Field>
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label="Set priority" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}
