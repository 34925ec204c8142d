import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok } from "../api/client";
import { Buttons, type FormProps, useActForm } from "./actForm";
import { useDraft } from "./hooks";
import { PersonPicker } from "./PersonPicker";
import { ErrorNote, Field, inputClass } from "./ui";

/** Resolve: what was done, the cause, the article that helped or a draft of one. */
export function ResolveForm({ ticket, onClose }: FormProps) {
  const draft = useDraft(`resolve-${ticket.id}`, { words: "", cause: "", article: "", drafts: false });
  const { words, cause, article, drafts } = draft.body;
  const form = useActForm(ticket, "resolve", () => {
    draft.clear();
    onClose();
  });
  const { data: help } = useQuery({
    queryKey: ["help", ticket.id, ticket.title, ticket.facts.service?.id ?? 0, ticket.facts.category],
    queryFn: () => ok(api.GET("/api/tickets/{number}/help", { params: { path: { number: ticket.id } } })),
    staleTime: 60_000,
  });
  const { data: fields } = useQuery({ queryKey: ["fields"], queryFn: () => ok(api.GET("/api/fields")), staleTime: 300_000 });
  const causes = fields?.find((field) => field.name === "cause in words")?.choices ?? [];
  const left = ticket.tasks.filter((task) => task.state === "open");
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        form.send({ what: words, cause, article: article ? +article : null, drafts_article: drafts, version: ticket.version });
      }}
    >
      {left.length > 0 ? (
        <p className="rounded-small bg-crown-2 px-3 py-1.5">Not done yet: {left.map((task) => task.title).join(", ")}.</p>
      ) : null}
      {ticket.open_children.length > 0 ? (
        <p className="rounded-small bg-crown-2 px-3 py-1.5">Parts that are still open: {ticket.open_children.join(", ")}.</p>
      ) : null}
      <Field label="What was done?" error={form.fields.what} help={`${ticket.facts.requester.name} reads it by e-mail.`}>
        {(props) => (
          <textarea
            {...props}
            autoFocus
            rows={5}
            className={inputClass}
            value={words}
            onChange={(event) => draft.set({ words: event.target.value })}
          />
        )}
      </Field>
      {ticket.fields
        .filter((field) => field.field in form.fields)
        .map((field) => (
          <p key={field.field} className="text-rust">
            {field.label}: fill it in under “More details”; what is written here is kept.
          </p>
        ))}
      <div className="grid grid-cols-2 gap-3 max-[600px]:grid-cols-1">
        <Field label={ticket.fields.some((field) => field.label === "Cause") ? "Cause in words" : "Cause"} error={form.fields.cause}>
          {(props) => (
            <>
              <input
                {...props}
                list="causes"
                maxLength={80}
                className={inputClass}
                value={cause}
                onChange={(event) => draft.set({ cause: event.target.value })}
              />
              <datalist id="causes">
                {causes.map((one) => (
                  <option key={one} value={one} />
                ))}
              </datalist>
            </>
          )}
        </Field>
        <Field label="Article that helped" error={form.fields.article}>
          {(props) => (
            <select {...props} className={inputClass} value={article} onChange={(event) => draft.set({ article: event.target.value })}>
              <option value="">none</option>
              {help?.articles.map((one) => (
                <option key={one.id} value={one.id}>
                  {one.id} {one.title}
                </option>
              ))}
            </select>
          )}
        </Field>
      </div>
      <label className="flex items-center gap-1.5">
        <input type="checkbox" checked={drafts === true} onChange={(event) => draft.set({ drafts: event.target.checked })} />
        Make a draft of a new article from this
      </label>
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label="Resolve" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

export function EscalateForm({ ticket, onClose }: FormProps) {
  const draft = useDraft(`escalate-${ticket.id}`, { comment: "" });
  const form = useActForm(ticket, "escalate", () => {
    draft.clear();
    onClose();
  });
  const to = ticket.escalation;
  if (!to?.team)
    return (
      <>
        <p>{to?.says ?? "There is nothing to escalate."}</p>
        <Buttons label="" isPending={false} onClose={onClose} />
      </>
    );
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        form.send({ comment: draft.body.comment, version: ticket.version });
      }}
    >
      <p>
        It goes to <b>{to.team}</b>. <span className="text-ink-2">{to.says}</span>
      </p>
      <Field label="What they need to know" error={form.fields.comment} help="What was tried, and what it is not.">
        {(props) => (
          <textarea
            {...props}
            autoFocus
            rows={4}
            className={inputClass}
            value={draft.body.comment}
            onChange={(event) => draft.set({ comment: event.target.value })}
          />
        )}
      </Field>
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label={`Escalate to ${to.team}`} isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

export function AskForm({ ticket, onClose }: FormProps) {
  const draft = useDraft(`ask-${ticket.id}`, { what: "", cost: "", waits: true });
  const [name, setName] = useState("");
  const [of, setOf] = useState<number | null>(null);
  const form = useActForm(ticket, "approvals", () => {
    draft.clear();
    onClose();
  });
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        form.send({
          of: of ?? 0,
          what: draft.body.what,
          cost_pence: draft.body.cost ? Math.round(+draft.body.cost * 100) : null,
          waits: draft.body.waits === true,
          version: ticket.version,
        });
      }}
    >
      <PersonPicker
        label="Approver"
        name={name}
        error={form.fields.of}
        onName={(next) => {
          setName(next);
          setOf(null);
        }}
        onPick={(person) => {
          setName(person.name);
          setOf(person.id);
        }}
      />
      <Field label="What is to be approved" error={form.fields.what} help="In a sentence: what, for whom, why.">
        {(props) => (
          <textarea
            {...props}
            rows={3}
            maxLength={500}
            className={inputClass}
            value={draft.body.what}
            onChange={(event) => draft.set({ what: event.target.value })}
          />
        )}
      </Field>
      <Field label="Cost" error={form.fields.cost_pence}>
        {(props) => (
          <input
            {...props}
            type="number"
            min={0}
            step="0.01"
            className={inputClass}
            value={draft.body.cost}
            onChange={(event) => draft.set({ cost: event.target.value })}
          />
        )}
      </Field>
      <label className="flex items-center gap-1.5">
        <input type="checkbox" checked={draft.body.waits === true} onChange={(event) => draft.set({ waits: event.target.checked })} />
        Wait until it is decided
      </label>
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label="Ask" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

export function UnwantedForm({ ticket, onClose }: FormProps) {
  const isMail = ticket.channel === "e-mail";
  const [remembers, setRemembers] = useState(isMail);
  const form = useActForm(ticket, "not-for-us", onClose);
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        form.send({ remembers });
      }}
    >
      <p>It is cancelled, and nobody is told.</p>
      {isMail ? (
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={remembers} onChange={(event) => setRemembers(event.target.checked)} />
          Keep later mail from {ticket.facts.requester.email} aside
        </label>
      ) : null}
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label="Reject as not ours" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}
