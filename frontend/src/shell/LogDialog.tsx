import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { Link, useNavigate } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, type Row, sentence } from "../api/client";
import { useChoices } from "../parts/choices";
import { FormFields } from "../parts/FormFields";
import { useDraft, useNow } from "../parts/hooks";
import { Number as TicketNumber } from "../parts/marks";
import { useFormStates } from "../parts/useFormStates";
import { PersonPicker, usePeople } from "../parts/PersonPicker";
import { when } from "../parts/time";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../parts/ui";

const EMPTY = {
  person: 0,
  name: "",
  title: "",
  text: "",
  service: "",
  ci: "",
  place: "",
  who: "",
  work: "",
  template: "",
  values: {} as Record<string, unknown>,
};
// What the dialog draws itself; the rest of the form comes as its states say.
const DRAWN = ["title", "text", "service", "place", "who", "work", "category", "ci"];

/** Log while on the phone: who is calling, what is open for them already, what is wrong. */
export function LogDialog({ onClose, starter = "" }: { onClose: () => void; starter?: string }) {
  const draft = useDraft("log", EMPTY);
  const body = draft.body;
  const choices = useChoices();
  const navigate = useNavigate();
  const now = useNow();
  const begun = useRef("");
  const queries = useQueryClient();
  const chosen = choices?.starters.find((one) => one.key === starter);
  useEffect(() => {
    if (!chosen || !choices || !draft.isLoaded || begun.current === chosen.key) return;
    begun.current = chosen.key;
    const template = choices.templates.find((one) => one.key === chosen.template);
    const given = { ...(template?.prefill ?? {}), ...chosen.values } as Record<string, string>;
    const { title = "", text = "", service = "", place = "", who = "", work = "", ...values } = given;
    const known = choices.services.find((one) => one.name === service);
    draft.set({
      title,
      text,
      service: known ? String(known.id) : "",
      who,
      work,
      template: chosen.template,
      values,
      ...(place ? { place } : {}),
    });
  }, [chosen, choices, draft]);
  const states = useFormStates("agent", { ...body, values: body.values });
  const keepStarter = useMutation({
    mutationFn: () => {
      const service = choices?.services.find((one) => String(one.id) === body.service)?.name ?? "";
      const values = Object.fromEntries(
        Object.entries({ title: body.title, text: body.text, service, who: body.who, work: body.work }).filter(([, value]) => value),
      );
      const own = (choices?.starters ?? [])
        .filter((one) => one.is_mine)
        .map(({ key, name, template, values: kept }) => ({ key, name, template, values: kept }));
      return ok(
        api.PUT("/api/starters", {
          body: { starters: [...own, { key: `mine-${Date.now()}`, name: body.title.slice(0, 80), template: body.template, values }] },
        }),
      );
    },
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["choices"] });
      toast("Kept as a starter of yours, beside Log.");
    },
    onError: (error) => toast.error(sentence(error)),
  });
  const log = useMutation({
    mutationFn: () =>
      ok(
        api.POST("/api/tickets", {
          body: {
            kind: "",
            requester: body.person,
            title: body.title,
            text: body.text,
            service: body.service ? +body.service : null,
            ci: body.ci ? +body.ci : null,
            place: body.place,
            answers: Object.fromEntries(Object.entries({ who: body.who, work: body.work }).filter(([, value]) => value)),
            attachments: [],
            is_confidential: false,
            template: body.template,
            category: "",
            values: Object.fromEntries(Object.entries(body.values).filter(([, value]) => value !== null && value !== "")) as never,
          },
        }),
      ),
    onSuccess: (logged) => {
      draft.clear();
      onClose();
      toast(`Logged as ${logged.id}, P${logged.priority}, ${logged.team}.`, {
        action: { label: "Open", onClick: () => void navigate(`/desk/tickets/${logged.id}`) },
      });
    },
  });
  const problem = log.error instanceof Problem ? log.error : null;
  const fields = problem?.fields ?? {};
  return (
    <Dialog
      title={chosen ? `Log: ${chosen.name}` : "Log an incident"}
      about="What you type is kept until it is logged."
      isOpen
      onClose={onClose}
      isWide
    >
      <form
        className="grid grid-cols-[1fr_280px] gap-5 max-[760px]:grid-cols-1"
        onSubmit={(event) => {
          event.preventDefault();
          log.mutate();
        }}
      >
        <div className="flex flex-col gap-3">
          <PersonPicker
            label="Who is calling"
            name={body.name}
            error={fields.requester}
            onName={(name) => draft.set({ name, person: 0 })}
            onPick={(person) => draft.set({ person: person.id, name: person.name, place: person.place })}
          />
          <Field label="What is wrong" error={fields.title}>
            {(props) => (
              <input
                {...props}
                maxLength={200}
                className={inputClass}
                value={body.title}
                onChange={(event) => draft.set({ title: event.target.value })}
              />
            )}
          </Field>
          <Field label="In their words" error={fields.text}>
            {(props) => (
              <textarea
                {...props}
                rows={3}
                className={inputClass}
                value={body.text}
                onChange={(event) => draft.set({ text: event.target.value })}
              />
            )}
          </Field>
          <div className="grid grid-cols-2 gap-3">
            <Field label="Service" error={fields.service}>
              {(props) => (
                <select
                  {...props}
                  className={inputClass}
                  value={body.service}
                  onChange={(event) => draft.set({ service: event.target.value, ci: "" })}
                >
                  <option value="">Not known yet</option>
                  {choices?.services.map((service) => (
                    <option key={service.id} value={service.id}>
                      {service.name}
                    </option>
                  ))}
                </select>
              )}
            </Field>
            <Field label="Where" error={fields.place}>
              {(props) => (
                <select {...props} className={inputClass} value={body.place} onChange={(event) => draft.set({ place: event.target.value })}>
                  <option value="">Where they work</option>
                  {choices?.places.map((place) => (
                    <option key={place}>{place}</option>
                  ))}
                </select>
              )}
            </Field>
          </div>
          {choices?.questions
            .filter((question) => question.choices.length > 0)
            .map((question) => (
              <fieldset key={question.key}>
                <legend className="font-semibold text-ink-2">{question.asks}</legend>
                <div className="mt-1 flex flex-wrap gap-x-4 gap-y-1">
                  {question.choices.map((choice) => (
                    <label key={choice.key} className="flex items-center gap-1.5">
                      <input
                        type="radio"
                        name={question.key}
                        checked={body[question.key as "who" | "work"] === choice.key}
                        onChange={() => draft.set({ [question.key]: choice.key })}
                      />
                      {choice.label}
                    </label>
                  ))}
                </div>
              </fieldset>
            ))}
          <FormFields
            states={states}
            answers={body.values}
            errors={fields}
            without={DRAWN}
            onChange={(name, value) => draft.set({ values: { ...body.values, [name]: value } })}
          />
          {problem && Object.keys(fields).every((name) => !DRAWN.includes(name) && !states.some((state) => state.field === name)) ? (
            <ErrorNote>{problem.message}</ErrorNote>
          ) : null}
        </div>
        <div>
          <OpenOfPerson name={body.name} person={body.person} now={now} onClose={onClose} />
        </div>
        <div className="col-span-full flex justify-between gap-2 border-t border-line pt-3">
          <span className="flex gap-2">
            <Button tone="quiet" onClick={() => draft.clear()}>
              Clear the form
            </Button>
            <Button tone="quiet" disabled={body.title.trim() === "" || keepStarter.isPending} onClick={() => keepStarter.mutate()}>
              Keep as my starter
            </Button>
          </span>
          <span className="flex gap-2">
            <Button onClick={onClose}>Cancel</Button>
            <Button type="submit" tone="crown" disabled={log.isPending}>
              {log.isPending ? "Logging…" : "Log it"}
            </Button>
          </span>
        </div>
      </form>
    </Dialog>
  );
}

function OpenOfPerson({ name, person, now, onClose }: { name: string; person: number; now: number; onClose: () => void }) {
  const { data } = usePeople(person ? name : "");
  const found = data?.find((candidate) => candidate.id === person);
  if (!found) return <p className="text-ink-2">Choose who is calling: what they have open already shows here.</p>;
  const open = found.open_tickets as unknown as Row[];
  return (
    <div>
      <h3 className="font-bold">Open for {found.name}</h3>
      {open.length === 0 ? <p className="text-ink-2">Nothing.</p> : null}
      <ul className="mt-1 flex flex-col gap-2">
        {open.map((row) => (
          <li key={row.id} className="rounded-small border border-line px-2.5 py-1.5">
            <TicketNumber row={row} />
            <Link to={`/desk/tickets/${row.id}`} onClick={onClose} className="block font-semibold hover:underline">
              {row.title}
            </Link>
            <span className="text-[13px] text-ink-2">
              {row.state} · {row.holder ?? row.team} · {when(row.opened_s, now)}
            </span>
          </li>
        ))}
      </ul>
      {found.devices.length > 0 ? (
        <p className="mt-3 text-[13px] text-ink-2">Uses {found.devices.map((device) => device.name).join(", ")}</p>
      ) : null}
    </div>
  );
}
