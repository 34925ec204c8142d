import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, ok, type Ticket } from "../api/client";
import { Buttons, type FormProps, useActForm } from "./actForm";
import { AmountInput } from "./AmountInput";
import { useChoices } from "./choices";
import { type DraftBody, useDraft } from "./hooks";
import { PersonPicker } from "./PersonPicker";
import { ErrorNote, Field, inputClass } from "./ui";

interface Resolving extends DraftBody {
  words: string;
  cause: string;
  article: string;
  drafts: boolean;
  left: Record<string, string>;
}

/** Resolve: what was done, the cause, the article that helped or a draft of one. */
export function ResolveForm({ ticket, onClose, solvedBy }: FormProps & { solvedBy?: number | undefined }) {
  const draft = useDraft<Resolving>(`resolve-${ticket.id}`, { words: "", cause: "", article: "", drafts: false, left: {} });
  const { words, cause, article, drafts, left } = draft.body;
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
  useEffect(() => {
    if (solvedBy !== undefined) draft.set({ article: String(solvedBy) });
    // Once, for the article that one comes from.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [solvedBy]);
  const offered = help?.articles ?? [];
  const chosen = article && !offered.some((one) => String(one.id) === article) ? article : "";
  const becomes = (one: LeftOpen) => left[keyOf(one)] ?? "";
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        form.send({
          what: words,
          cause,
          article: article ? +article : null,
          drafts_article: drafts && !ticket.is_confidential,
          version: ticket.version,
          left: ticket.left_open.filter(becomes).map((one) => ({ kind: one.kind, id: one.id, becomes: becomes(one) })),
        });
      }}
    >
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
      {ticket.left_open.length > 0 ? (
        <fieldset className="rounded-small border border-line px-3 py-2">
          <legend className="px-1 font-semibold text-ink-2">Still open with it: what becomes of each?</legend>
          {ticket.left_open.map((one) => (
            <label key={keyOf(one)} className="flex items-center gap-2 py-0.5">
              <span className="min-w-0 flex-1">
                <span className="text-ink-2">{LEFT_KIND[one.kind] ?? one.kind}</span> {one.words}
              </span>
              <select
                aria-label={`What becomes of: ${one.words}`}
                aria-invalid={"left" in form.fields && !becomes(one)}
                className={`${inputClass} !w-[170px] ${"left" in form.fields && !becomes(one) ? "!border-rust" : ""}`}
                value={becomes(one)}
                onChange={(event) => draft.set({ left: { ...left, [keyOf(one)]: event.target.value } })}
              >
                <option value="">Choose…</option>
                {one.becomes.map((word) => (
                  <option key={word} value={word}>
                    {BECOMES[word] ?? word}
                  </option>
                ))}
              </select>
            </label>
          ))}
          {form.fields.left ? <p className="text-rust">{form.fields.left}</p> : null}
        </fieldset>
      ) : null}
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
              {chosen ? (
                <option value={chosen}>
                  {chosen} {[...(help?.ticked ?? []), ...(help?.linking ?? [])].find((one) => String(one.id) === chosen)?.title ?? ""}
                </option>
              ) : null}
              {offered.map((one) => (
                <option key={one.id} value={one.id}>
                  {one.id} {one.title}
                </option>
              ))}
            </select>
          )}
        </Field>
      </div>
      {ticket.is_confidential ? null : (
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={drafts === true} onChange={(event) => draft.set({ drafts: event.target.checked })} />
          Make a draft of a new article from this, without the people in it
        </label>
      )}
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label="Resolve" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

type LeftOpen = Ticket["left_open"][number];

const keyOf = (one: LeftOpen) => `${one.kind} ${one.id}`;
const LEFT_KIND: Record<string, string> = { task: "Task:", approval: "Approval asked of", announcement: "Announced:" };
const BECOMES: Record<string, string> = {
  done: "it is done",
  "not needed": "it is not needed",
  withdrawn: "withdraw the question",
  over: "it is over: say so",
};

export function EscalateForm({ ticket, onClose }: FormProps) {
  const draft = useDraft(`escalate-${ticket.id}`, { comment: "", service: "" });
  const form = useActForm(ticket, "escalate", () => {
    draft.clear();
    onClose();
  });
  const choices = useChoices();
  const to = ticket.escalation;
  const asksService = to?.asks_service === true;
  if (!to?.team && !asksService)
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
        form.send({ comment: draft.body.comment, version: ticket.version, service: asksService ? +draft.body.service || null : null });
      }}
    >
      {asksService ? (
        <Field label="Which service is it?" error={form.fields.service} help="Its support chain says who comes next.">
          {(props) => (
            <select
              {...props}
              autoFocus
              className={inputClass}
              value={draft.body.service}
              onChange={(event) => draft.set({ service: event.target.value })}
            >
              <option value="">Choose…</option>
              {choices?.services.map((service) => (
                <option key={service.id} value={service.id}>
                  {service.name}
                </option>
              ))}
            </select>
          )}
        </Field>
      ) : (
        <p>
          It goes to <b>{to?.team}</b>. <span className="text-ink-2">{to?.says}</span>
        </p>
      )}
      <Field label="What they need to know" error={form.fields.comment} help="What was tried, and what it is not.">
        {(props) => (
          <textarea
            {...props}
            autoFocus={!asksService}
            rows={4}
            className={inputClass}
            value={draft.body.comment}
            onChange={(event) => draft.set({ comment: event.target.value })}
          />
        )}
      </Field>
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label={to?.team ? `Escalate to ${to.team}` : "Escalate"} isPending={form.isPending} onClose={onClose} />
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
          cost_pence: draft.body.cost === "" ? null : Math.round(+draft.body.cost * 100),
          waits: draft.body.waits === true && ticket.waits.includes("approval"),
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
          <AmountInput
            isMoney
            props={props}
            value={draft.body.cost === "" ? null : +draft.body.cost}
            onChange={(cost) => draft.set({ cost: cost === null ? "" : String(cost) })}
          />
        )}
      </Field>
      {ticket.waits.includes("approval") ? (
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={draft.body.waits === true} onChange={(event) => draft.set({ waits: event.target.checked })} />
          Wait until it is decided
        </label>
      ) : null}
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
