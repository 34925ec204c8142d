import { Buttons, type FormProps, useActForm } from "./actForm";
import { serverNow, useDraft } from "./hooks";
import { type RecordAct } from "./recordActs";
import { ErrorNote, Field, inputClass } from "./ui";

/** The dialog of an act that has none of its own: what it asks for, as the server says it. */
export function PlainForm({ ticket, act, onClose }: FormProps & { act: RecordAct }) {
  const draft = useDraft(`${act.name}-${ticket.id}`, Object.fromEntries(act.asks.map((one) => [one.name, ""])));
  const form = useActForm(ticket, act.name, () => {
    draft.clear();
    onClose();
  });
  const beside = form.beside(act.asks.map((one) => one.name));
  const value = (name: string) => String(draft.body[name] ?? "");
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        form.send({
          version: ticket.version,
          ...Object.fromEntries(
            act.asks.map((one) => [
              one.name,
              one.type === "number" ? +value(one.name) : one.type === "yes/no" ? value(one.name) !== "" : value(one.name),
            ]),
          ),
        });
      }}
    >
      {act.asks.map((one) => (
        <Field key={one.name} label={one.label} error={form.fields[one.name]}>
          {(props) =>
            one.type === "choice" ? (
              <select
                {...props}
                className={inputClass}
                required={one.is_needed}
                value={value(one.name)}
                onChange={(event) => draft.set({ [one.name]: event.target.value })}
              >
                <option value="">Choose…</option>
                {one.choices.map((choice) => (
                  <option key={choice}>{choice}</option>
                ))}
              </select>
            ) : one.type === "lines" ? (
              <textarea
                {...props}
                rows={3}
                className={inputClass}
                required={one.is_needed}
                value={value(one.name)}
                onChange={(event) => draft.set({ [one.name]: event.target.value })}
              />
            ) : one.type === "yes/no" ? (
              <input
                {...props}
                type="checkbox"
                checked={value(one.name) !== ""}
                onChange={(event) => draft.set({ [one.name]: event.target.checked ? "yes" : "" })}
              />
            ) : (
              <input
                {...props}
                type={one.type === "number" ? "number" : "text"}
                className={inputClass}
                required={one.is_needed}
                value={value(one.name)}
                onChange={(event) => draft.set({ [one.name]: event.target.value })}
              />
            )
          }
        </Field>
      ))}
      {(form.problem ?? beside) ? <ErrorNote>{form.problem ?? beside}</ErrorNote> : null}
      <Buttons label={act.label.replace("…", "")} isPending={form.isPending} onClose={onClose} />
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

export function WordsForm({ ticket, onClose, name, field, label, help, button }: WordsProps) {
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
          <textarea
            {...props}
            autoFocus
            rows={5}
            className={inputClass}
            value={draft.body.words}
            onChange={(event) => draft.set({ words: event.target.value })}
          />
        )}
      </Field>
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label={button} isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

export function AnnounceForm({ ticket, onClose }: FormProps) {
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
          <input
            {...props}
            autoFocus
            className={inputClass}
            value={draft.body.title}
            onChange={(event) => draft.set({ title: event.target.value })}
          />
        )}
      </Field>
      <Field label="Next news in minutes" error={form.fields.next_news}>
        {(props) => (
          <input
            {...props}
            type="number"
            min={5}
            max={2880}
            className={inputClass}
            value={draft.body.minutes}
            onChange={(event) => draft.set({ minutes: event.target.value })}
          />
        )}
      </Field>
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label="Announce" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}
