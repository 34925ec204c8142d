import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, ok, type Ticket } from "../api/client";
import { type ActName, Buttons, type FormProps, useActForm } from "./actForm";
import { serverNow, useDraft } from "./hooks";
import { actOf, type RecordAct } from "./recordActs";
import { instantOfLocal, localInput } from "./time";
import { AskForm, EscalateForm, LinkForm, MergeForm, OutwardForm, ResolveForm, UnwantedForm } from "./moreActs";
import { Dialog, ErrorNote, Field, inputClass } from "./ui";

interface ActDialogProps {
  ticket: Ticket;
  act: ActName | null;
  /** The ticket that a merge is offered to go on as. */
  into?: number | undefined;
  onClose: () => void;
}

/** The dialogs of the acts that need words; what is typed is kept until it is sent. */
export function ActDialog({ ticket, act, into, onClose }: ActDialogProps) {
  const navigate = useNavigate();
  if (act === null) return null;
  const forms: Partial<Record<ActName, () => React.ReactNode>> = {
    wait: () => <WaitForm ticket={ticket} onClose={onClose} />,
    "hand-over": () => <HandOverForm ticket={ticket} onClose={onClose} />,
    priority: () => <PriorityForm ticket={ticket} onClose={onClose} />,
    resolve: () => <ResolveForm ticket={ticket} onClose={onClose} />,
    escalate: () => <EscalateForm ticket={ticket} onClose={onClose} />,
    approvals: () => <AskForm ticket={ticket} onClose={onClose} />,
    links: () => <LinkForm ticket={ticket} onClose={onClose} />,
    merge: () => <MergeForm ticket={ticket} onClose={onClose} into={into} onMerged={(number) => void navigate(`/desk/tickets/${number}`)} />,
    "not-for-us": () => <UnwantedForm ticket={ticket} onClose={onClose} />,
    outward: () => <OutwardForm ticket={ticket} onClose={onClose} />,
    reopen: () => <WordsForm ticket={ticket} onClose={onClose} name="reopen" field="why" label="What is still wrong?" button="Reopen" />,
    cancel: () => <WordsForm ticket={ticket} onClose={onClose} name="cancel" field="why" label="Why is it not needed?" help={`${ticket.facts.requester.name} reads it by e-mail.`} button="Cancel it" />,
    announce: () => <AnnounceForm ticket={ticket} onClose={onClose} />,
  };
  const titles: Partial<Record<ActName, string>> = {
    wait: `Wait with ${ticket.id}`,
    "hand-over": `Hand ${ticket.id} over`,
    priority: `Set the priority of ${ticket.id} by hand`,
    resolve: `Resolve ${ticket.id}`,
    reopen: `Reopen ${ticket.id}`,
    cancel: `Cancel ${ticket.id}`,
    escalate: `Escalate ${ticket.id}`,
    approvals: `Ask for an approval on ${ticket.id}`,
    links: `Link ${ticket.id}`,
    merge: `Merge ${ticket.id} into another`,
    "not-for-us": `${ticket.id} is not for us`,
    outward: `Beyond the desk: ${ticket.id}`,
    announce: `Announce ${ticket.id} as a known outage`,
  };
  const entry = actOf(ticket, act);
  const form = forms[act] ?? (entry ? () => <PlainForm ticket={ticket} act={entry} onClose={onClose} /> : undefined);
  return (
    <Dialog title={titles[act] ?? entry?.command ?? ""} about={ticket.title} isOpen onClose={onClose}>
      {form?.()}
    </Dialog>
  );
}

const WITH_FORM = new Set(["wait", "hand-over", "priority", "resolve", "escalate", "approvals", "links", "merge", "not-for-us", "outward", "reopen", "cancel", "announce"]);

/** Whether an act asks for something before it is done. */
export function asksFirst(act: RecordAct): boolean {
  return WITH_FORM.has(act.name) || act.asks.length > 0;
}

/** The dialog of an act that has none of its own: what it asks for, as the server says it. */
function PlainForm({ ticket, act, onClose }: FormProps & { act: RecordAct }) {
  const draft = useDraft(`${act.name}-${ticket.id}`, Object.fromEntries(act.asks.map((one) => [one.name, ""])));
  const form = useActForm(ticket, act.name, () => {
    draft.clear();
    onClose();
  });
  const value = (name: string) => String(draft.body[name] ?? "");
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        form.send({ version: ticket.version, ...Object.fromEntries(act.asks.map((one) => [one.name, one.type === "number" ? +value(one.name) : one.type === "yes/no" ? value(one.name) !== "" : value(one.name)])) });
      }}
    >
      {act.asks.map((one) => (
        <Field key={one.name} label={one.label} error={form.fields[one.name]}>
          {(props) =>
            one.type === "choice" ? (
              <select {...props} className={inputClass} required={one.is_needed} value={value(one.name)} onChange={(event) => draft.set({ [one.name]: event.target.value })}>
                <option value="">Choose…</option>
                {one.choices.map((choice) => (
                  <option key={choice}>{choice}</option>
                ))}
              </select>
            ) : one.type === "lines" ? (
              <textarea {...props} rows={3} className={inputClass} required={one.is_needed} value={value(one.name)} onChange={(event) => draft.set({ [one.name]: event.target.value })} />
            ) : one.type === "yes/no" ? (
              <input {...props} type="checkbox" checked={value(one.name) !== ""} onChange={(event) => draft.set({ [one.name]: event.target.checked ? "yes" : "" })} />
            ) : (
              <input {...props} type={one.type === "number" ? "number" : "text"} className={inputClass} required={one.is_needed} value={value(one.name)} onChange={(event) => draft.set({ [one.name]: event.target.value })} />
            )
          }
        </Field>
      ))}
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label={act.label.replace("…", "")} isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

function WaitForm({ ticket, onClose }: FormProps) {
  const draft = useDraft(`wait-${ticket.id}`, { on: "requester", reason: "", until: "", supplier: "" });
  const { on, reason, until, supplier } = draft.body;
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
  const allowed = choices?.waits.map((wait) => wait.key) ?? [];
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
          {kinds.filter(([key]) => choices === undefined || allowed.includes(key)).map(([key, label]) => (
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
                {choices?.suppliers.map((name) => <option key={name}>{name}</option>)}
              </select>
            )}
          </Field>
        ) : null}
        {on === "date" ? (
          <Field label="Until" error={form.fields.until}>
            {(props) => (
              <input {...props} type="datetime-local" min={localInput(serverNow())} className={inputClass} value={until} onChange={(event) => draft.set({ until: event.target.value })} />
            )}
          </Field>
        ) : null}
        <Field label="What for" error={form.fields.reason} help={on === "requester" ? "Their answer by portal or mail takes it up again by itself." : undefined}>
          {(props) => (
            <textarea {...props} autoFocus rows={3} className={inputClass} value={reason} onChange={(event) => draft.set({ reason: event.target.value })} />
          )}
        </Field>
        {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      </div>
      <Buttons label="Wait" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

function HandOverForm({ ticket, onClose }: FormProps) {
  const draft = useDraft(`hand-over-${ticket.id}`, { team: "", person: "", comment: "" });
  const { team, person, comment } = draft.body;
  const form = useActForm(ticket, "hand-over", () => {
    draft.clear();
    onClose();
  });
  const { data: teams } = useQuery({ queryKey: ["teams"], queryFn: () => ok(api.GET("/api/teams")), staleTime: 60_000 });
  const chosen = teams?.find((candidate) => String(candidate.id) === team);
  const members = (chosen?.members ?? []) as { id: number; name: string }[];
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
          <select {...props} autoFocus className={inputClass} value={team} onChange={(event) => draft.set({ team: event.target.value, person: "" })}>
            <option value="">Choose…</option>
            {teams?.map((candidate) => (
              <option key={candidate.id} value={candidate.id}>
                {candidate.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="To person" error={form.fields.person} help={chosen && !person ? `Nobody chosen: ${chosen.name} works ${chosen.mode}.` : undefined}>
        {(props) => (
          <select {...props} className={inputClass} value={person} disabled={!chosen} onChange={(event) => draft.set({ person: event.target.value })}>
            <option value="">{chosen && chosen.mode !== "by hand" ? `whoever is next (${chosen.mode})` : "nobody yet"}</option>
            {members.map((member) => (
              <option key={member.id} value={member.id}>
                {member.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="Why" error={form.fields.comment} help="The new holder reads it first, by notification and mail.">
        {(props) => (
          <textarea {...props} rows={3} className={inputClass} value={comment} onChange={(event) => draft.set({ comment: event.target.value })} />
        )}
      </Field>
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label="Hand over" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

function PriorityForm({ ticket, onClose }: FormProps) {
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
      <Field label="Priority" error={form.fields.priority} help={`The matrix gives it from ${ticket.facts.impact_label.toLowerCase()} and ${ticket.facts.urgency_label.toLowerCase()}.`}>
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
          <textarea {...props} rows={2} className={inputClass} value={draft.body.reason} onChange={(event) => draft.set({ reason: event.target.value })} />
        )}
      </Field>
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label="Set priority" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

interface WordsProps extends FormProps {
  name: "reopen" | "cancel";
  field: "why";
  label: string;
  help?: string;
  button: string;
}

function WordsForm({ ticket, onClose, name, field, label, help, button }: WordsProps) {
  const draft = useDraft(`${name}-${ticket.id}`, { words: "" });
  const form = useActForm(ticket, name, () => {
    draft.clear();
    onClose();
  });
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        form.send({ [field]: draft.body.words });
      }}
    >
      <Field label={label} error={form.fields[field]} help={help}>
        {(props) => (
          <textarea {...props} autoFocus rows={5} className={inputClass} value={draft.body.words} onChange={(event) => draft.set({ words: event.target.value })} />
        )}
      </Field>
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label={button} isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

function AnnounceForm({ ticket, onClose }: FormProps) {
  const draft = useDraft(`announce-${ticket.id}`, { title: "", minutes: "60" });
  const form = useActForm(ticket, "announce", () => {
    draft.clear();
    onClose();
  });
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        form.send({
          public_title: draft.body.title,
          next_news: new Date(serverNow() * 1000 + Math.max(1, +draft.body.minutes) * 60_000).toISOString(),
        });
      }}
    >
      <Field label="In public words" error={form.fields.public_title} help="Everybody sees it on the portal until this is resolved.">
        {(props) => (
          <input {...props} autoFocus className={inputClass} value={draft.body.title} onChange={(event) => draft.set({ title: event.target.value })} />
        )}
      </Field>
      <Field label="Next news in minutes" error={form.fields.next_news}>
        {(props) => (
          <input {...props} type="number" min={5} max={2880} className={inputClass} value={draft.body.minutes} onChange={(event) => draft.set({ minutes: event.target.value })} />
        )}
      </Field>
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label="Announce" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

export function useChoices() {
  const { data } = useQuery({ queryKey: ["choices"], queryFn: () => ok(api.GET("/api/choices")), staleTime: 60_000 });
  return data;
}
