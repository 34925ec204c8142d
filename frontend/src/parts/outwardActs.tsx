import { asText } from "./text";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok, type Ticket } from "../api/client";
import { Buttons, type FormProps, useActForm } from "./actForm";
import { ErrorNote, Field, inputClass } from "./ui";

/** Pass it to development, start remote help, or run a runbook with its few inputs. */
export function OutwardForm({ ticket, onClose }: FormProps) {
  const { data: runbooks } = useQuery({ queryKey: ["runbooks"], queryFn: () => ok(api.GET("/api/runbooks")), staleTime: 300_000 });
  const [kind, setKind] = useState("runbook");
  const [runbook, setRunbook] = useState("");
  const [title, setTitle] = useState(ticket.title);
  const [inputs, setInputs] = useState<Record<string, string>>({ account: ticket.facts.requester.email });
  const form = useActForm(ticket, "outward", onClose);
  const chosen = runbooks?.find((one) => one.key === runbook);
  const words: Record<string, string> = { runbook: "Run it", development: "Send it", "remote help": "Start" };
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
              {(props) => (
                <input
                  {...props}
                  className={inputClass}
                  value={inputs[name] ?? ""}
                  onChange={(event) => setInputs({ ...inputs, [name]: event.target.value })}
                />
              )}
            </Field>
          ))}
        </>
      ) : null}
      {kind === "development" ? (
        <Field label="What is wrong, for developers" error={form.fields.title}>
          {(props) => (
            <input {...props} maxLength={200} className={inputClass} value={title} onChange={(event) => setTitle(event.target.value)} />
          )}
        </Field>
      ) : null}
      {kind === "remote help" ? <p className="text-ink-2">You get a session code to read out; the other side types it in.</p> : null}
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label={words[kind] ?? "Do it"} isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

/** A routine: what it would do to this ticket, act by act, then all of it at once. */
export function RoutineForm({
  ticket,
  routine,
  onClose,
  onRun,
}: {
  ticket: Ticket;
  routine: number;
  onClose: () => void;
  onRun: () => void;
}) {
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
          {data.changes
            .filter((change) => change.field !== "due")
            .map((change) => `${change.field}: ${asText(change.before ?? "nothing")} → ${asText(change.after ?? "nothing")}`)
            .join(" · ")}
        </p>
      ) : null}
      <Buttons label={data && !data.works ? "" : "Do all of it"} isPending={!data} onClose={onClose} />
    </form>
  );
}
