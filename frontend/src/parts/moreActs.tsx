import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok, type Ticket } from "../api/client";
import { Buttons, type FormProps, useActForm } from "./actForm";
import { useDebounced, useDraft } from "./hooks";
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
      {left.length > 0 ? <p className="rounded-small bg-crown-2 px-3 py-1.5">Not done yet: {left.map((task) => task.title).join(", ")}.</p> : null}
      {ticket.open_children.length > 0 ? <p className="rounded-small bg-crown-2 px-3 py-1.5">Parts that are still open: {ticket.open_children.join(", ")}.</p> : null}
      <Field label="What was done?" error={form.fields.what} help={`${ticket.facts.requester.name} reads it by e-mail.`}>
        {(props) => <textarea {...props} autoFocus rows={5} className={inputClass} value={words} onChange={(event) => draft.set({ words: event.target.value })} />}
      </Field>
      {ticket.fields
        .filter((field) => field.field in form.fields)
        .map((field) => (
          <p key={field.field} className="text-rust">
            {field.label}: fill it in under “More facts”; what is written here is kept.
          </p>
        ))}
      <div className="grid grid-cols-2 gap-3 max-[600px]:grid-cols-1">
        <Field label={ticket.fields.some((field) => field.label === "Cause") ? "Cause in words" : "Cause"} error={form.fields.cause}>
          {(props) => (
            <>
              <input {...props} list="causes" maxLength={80} className={inputClass} value={cause} onChange={(event) => draft.set({ cause: event.target.value })} />
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
        {(props) => <textarea {...props} autoFocus rows={4} className={inputClass} value={draft.body.comment} onChange={(event) => draft.set({ comment: event.target.value })} />}
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
        label="Who decides"
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
      <Field label="What is to be approved" error={form.fields.what} help="In a sentence that can be decided on: what, for whom, why.">
        {(props) => <textarea {...props} rows={3} maxLength={500} className={inputClass} value={draft.body.what} onChange={(event) => draft.set({ what: event.target.value })} />}
      </Field>
      <Field label="Cost" error={form.fields.cost_pence}>
        {(props) => <input {...props} type="number" min={0} step="0.01" className={inputClass} value={draft.body.cost} onChange={(event) => draft.set({ cost: event.target.value })} />}
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

/** Finds another ticket by number or words. */
function TicketPicker({ label, error, chosen, onPick }: { label: string; error?: string | undefined; chosen: { id: number; title: string } | null; onPick: (ticket: { id: number; title: string } | null) => void }) {
  const [words, setWords] = useState("");
  const [at, setAt] = useState(0);
  const late = useDebounced(words.trim(), 200);
  const { data } = useQuery({
    queryKey: ["find", late],
    queryFn: () => ok(api.GET("/api/find", { params: { query: { q: late } } })),
    enabled: late.length > 1 && chosen === null,
  });
  return (
    <Field label={label} error={error}>
      {(props) => (
        <>
          <input
            {...props}
            autoFocus
            placeholder="A number, or some words"
            className={inputClass}
            role="combobox"
            aria-expanded={chosen === null && Boolean(data?.tickets.length)}
            aria-controls="tickets-found"
            autoComplete="off"
            value={chosen ? `${chosen.id} ${chosen.title}` : words}
            onChange={(event) => {
              onPick(null);
              setAt(0);
              setWords(event.target.value);
            }}
            onKeyDown={(event) => {
              const rows = chosen === null ? (data?.tickets ?? []) : [];
              const row = rows[at];
              if (event.ctrlKey || event.metaKey || !row) return;
              if (event.key === "ArrowDown") setAt(Math.min(at + 1, rows.length - 1));
              else if (event.key === "ArrowUp") setAt(Math.max(0, at - 1));
              else if (event.key === "Enter") onPick({ id: row.id, title: row.title });
              else return;
              event.preventDefault();
            }}
          />
          {chosen === null && data ? (
            <ul id="tickets-found" role="listbox" aria-label="Tickets found" className="max-h-44 overflow-y-auto rounded-small border border-line">
              {data.tickets.map((row, index) => (
                <li key={row.id} role="option" aria-selected={index === at}>
                  <button type="button" tabIndex={-1} className={`w-full px-2 py-1 text-left hover:bg-sea-3 ${index === at ? "bg-sea-3" : ""}`} onClick={() => onPick({ id: row.id, title: row.title })}>
                    <span className="font-mono text-[13px]">{row.id}</span> {row.title} <span className="text-ink-2">{row.state}</span>
                  </button>
                </li>
              ))}
              {data.tickets.length === 0 ? <li role="option" aria-selected={false} aria-disabled className="px-2 py-1 text-ink-2">Nothing is called that.</li> : null}
            </ul>
          ) : null}
        </>
      )}
    </Field>
  );
}

const KINDS = ["related to", "caused by", "blocks", "duplicate of"];

export function LinkForm({ ticket, onClose }: FormProps) {
  const [kind, setKind] = useState("related to");
  const [other, setOther] = useState<{ id: number; title: string } | null>(null);
  const form = useActForm(ticket, "links", onClose);
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        form.send({ kind, other: other?.id ?? 0 });
      }}
    >
      <Field label={`${ticket.id} is`}>
        {(props) => (
          <select {...props} className={inputClass} value={kind} onChange={(event) => setKind(event.target.value)}>
            {KINDS.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        )}
      </Field>
      <TicketPicker label="the ticket" error={form.fields.other} chosen={other} onPick={setOther} />
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label="Link" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

export function MergeForm({ ticket, onClose, into: given, onMerged }: FormProps & { into?: number | undefined; onMerged: (into: number) => void }) {
  const [into, setInto] = useState<{ id: number; title: string } | null>(given ? { id: given, title: "" } : null);
  const form = useActForm(ticket, "merge", () => {
    onClose();
    if (into) onMerged(into.id);
  });
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        form.send({ into: into?.id ?? 0 });
      }}
    >
      <TicketPicker label="Goes on as" error={form.fields.into ?? form.fields.other} chosen={into} onPick={setInto} />
      <p className="text-ink-2">
        {ticket.id} ends as a duplicate. {ticket.facts.requester.name} and everybody who follows it follow the other one and hear of it; both conversations stay readable.
      </p>
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label="Merge" isPending={form.isPending} onClose={onClose} />
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
      <Buttons label="Not for us" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

/** Pass it to development, start remote help, or run a runbook with its few inputs. */
export function OutwardForm({ ticket, onClose }: FormProps) {
  const { data: runbooks } = useQuery({ queryKey: ["runbooks"], queryFn: () => ok(api.GET("/api/runbooks")), staleTime: 300_000 });
  const [kind, setKind] = useState("runbook");
  const [runbook, setRunbook] = useState("");
  const [title, setTitle] = useState(ticket.title);
  const [inputs, setInputs] = useState<Record<string, string>>({ account: ticket.facts.requester.email });
  const form = useActForm(ticket, "outward", onClose);
  const chosen = runbooks?.find((one) => one.key === runbook);
  const words: Record<string, string> = { runbook: "Run it", development: "Pass it on", "remote help": "Start" };
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        const given = Object.fromEntries(Object.keys(chosen?.inputs ?? {}).map((name) => [name, inputs[name] ?? ""]));
        form.send({ kind, title: kind === "development" ? title : "", inputs: kind === "runbook" ? { runbook, ...given } : {} });
      }}
    >
      <fieldset className="flex flex-wrap gap-x-5 gap-y-1">
        <legend className="sr-only">What</legend>
        {[
          ["runbook", "run a runbook"],
          ["remote help", "help remotely"],
          ["development", "pass to development"],
        ].map(([key, label]) => (
          <label key={key} className="flex items-center gap-1.5">
            <input type="radio" name="outward" checked={kind === key} onChange={() => setKind(key ?? "")} />
            {label}
          </label>
        ))}
      </fieldset>
      {kind === "runbook" ? (
        <>
          <Field label="Runbook" error={form.fields.runbook} help={chosen?.about}>
            {(props) => (
              <select {...props} className={inputClass} value={runbook} onChange={(event) => setRunbook(event.target.value)}>
                <option value="">Choose…</option>
                {runbooks?.map((one) => (
                  <option key={one.key} value={one.key}>
                    {one.name}
                  </option>
                ))}
              </select>
            )}
          </Field>
          {Object.entries(chosen?.inputs ?? {}).map(([name, label]) => (
            <Field key={name} label={label} error={form.fields[name]}>
              {(props) => <input {...props} className={inputClass} value={inputs[name] ?? ""} onChange={(event) => setInputs({ ...inputs, [name]: event.target.value })} />}
            </Field>
          ))}
        </>
      ) : null}
      {kind === "development" ? (
        <Field label="What is wrong, for developers" error={form.fields.title}>
          {(props) => <input {...props} maxLength={200} className={inputClass} value={title} onChange={(event) => setTitle(event.target.value)} />}
        </Field>
      ) : null}
      {kind === "remote help" ? <p className="text-ink-2">You get a session code to read out; the other side types it in.</p> : null}
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label={words[kind] ?? "Do it"} isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

/** A routine: what it would do to this ticket, act by act, then all of it at once. */
export function RoutineForm({ ticket, routine, onClose, onRun }: { ticket: Ticket; routine: number; onClose: () => void; onRun: () => void }) {
  const path = { params: { path: { number: ticket.id, routine } } };
  const { data } = useQuery({
    queryKey: ["routine", ticket.id, routine, ticket.version],
    queryFn: () => ok(api.GET("/api/tickets/{number}/routines/{routine}", path)),
    gcTime: 0,
  });
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        if (data?.works) onRun();
      }}
    >
      {data ? null : <p role="status">Looking at what it would do…</p>}
      <ol className="list-decimal pl-5">
        {data?.steps.map((step, index) => (
          <li key={index} className="py-0.5 whitespace-pre-wrap">
            {step.label}
            {step.refused ? <span className="block text-rust">{step.refused}</span> : null}
          </li>
        ))}
      </ol>
      {data && data.changes.length > 0 ? (
        <p className="mt-2 text-ink-2">
          {data.changes.filter((change) => change.field !== "due").map((change) => `${change.field}: ${String(change.before ?? "nothing")} → ${String(change.after ?? "nothing")}`).join(" · ")}
        </p>
      ) : null}
      <Buttons label={data && !data.works ? "" : "Do all of it"} isPending={!data} onClose={onClose} />
    </form>
  );
}
