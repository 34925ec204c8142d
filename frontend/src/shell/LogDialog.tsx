import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../api/client";
import { useChoices } from "../parts/choices";
import { FormFields } from "../parts/FormFields";
import { useDraft, useNow } from "../parts/hooks";
import { useFormStates } from "../parts/useFormStates";
import { PersonPicker, usePeople } from "../parts/PersonPicker";
import { isAsked, questionId, useQuestions } from "../parts/Questions";
import { when } from "../parts/time";
import { Button, Dialog, ErrorNote, Field, inputClass, Switch } from "../parts/ui";
import { Assignee } from "./log/Assignee";
import { asLogged, type Call, DRAWN, EMPTY_CALL } from "./log/call";
import { Caller } from "./log/Caller";
import { Known } from "./log/Known";
import { useCreatedFrom, useCreatedOfItem, useLogPreview } from "./log/useLogPreview";
import { KnownErrorsWhileLogging } from "../screens/problems/KnownErrors";
import { useSession } from "./session";

/** Log while on the phone: who is calling, what is open for them already, what is wrong. */
export function LogDialog({ onClose, starter = "" }: { onClose: () => void; starter?: string }) {
  const draft = useDraft<Call>("log", EMPTY_CALL);
  const body = draft.body;
  const choices = useChoices();
  const navigate = useNavigate();
  const { me } = useSession();
  useCreatedFrom(starter, draft);
  useCreatedOfItem(starter, draft, me);
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
  const states = useFormStates("agent", body);
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
      toast("Saved as a starter of yours, beside Log.");
    },
    onError: (error) => toast.error(sentence(error)),
  });
  const logged = (ticket: { id: number; priority: number; team: string; holder: string }) => {
    draft.clear();
    onClose();
    toast(`Logged as ${ticket.id}, P${ticket.priority}, ${ticket.holder || ticket.team}.`, {
      duration: 15_000,
      action: { label: "Open", onClick: () => void navigate(`/desk/tickets/${ticket.id}`) },
    });
  };
  const log = useMutation({
    mutationFn: () => ok(api.POST("/api/tickets", { body: asLogged(body, me?.id ?? 0) })),
    onSuccess: logged,
  });
  /** The caller's call is about what is known: they follow it, and their words are a note there. */
  const addTo = useMutation({
    mutationFn: async (number: number) => {
      const path = { params: { path: { number } } };
      await ok(api.POST("/api/tickets/{number}/follow", { ...path, body: { person: body.person } }));
      const said = [body.title, body.text].filter((one) => one.trim()).join(" – ");
      await ok(
        api.POST("/api/tickets/{number}/note", { ...path, body: { text: `${body.name} called about this too: ${said}`, attachments: [] } }),
      );
      return number;
    },
    onSuccess: (number) => {
      draft.clear();
      onClose();
      toast(`${body.name} follows ${number}, and what they said is a note there.`, {
        action: { label: "Open", onClick: () => void navigate(`/desk/tickets/${number}`) },
      });
    },
    onError: (error) => toast.error(sentence(error)),
  });
  const problem = log.error instanceof Problem ? log.error : null;
  const fields = problem?.fields ?? {};
  const questions = useQuestions(choices?.questions, states, { who: body.who, work: body.work });
  const preview = useLogPreview(body, me?.id ?? 0);
  const { data: people } = usePeople(body.person ? body.name : "");
  const found = people?.find((one) => one.id === body.person);
  const own = problem && Object.keys(fields).every((name) => !SHOWN.has(name) && !states.some((state) => state.field === name));
  return (
    <Dialog
      title={chosen ? `Log: ${chosen.name}` : body.parent ? `Log a part of ${body.parent}` : "Log an incident"}
      about="By phone. What you type is kept until it is logged."
      isOpen
      onClose={onClose}
      isFull
    >
      <form
        className="flex min-h-0 flex-1 flex-col"
        noValidate
        onSubmit={(event) => {
          event.preventDefault();
          if (!log.isPending && questions.areAnswered()) log.mutate();
        }}
      >
        <div className="grid min-h-0 flex-1 grid-cols-[230px_minmax(0,1fr)_320px] max-[1000px]:grid-cols-[minmax(0,1fr)_300px] max-[1000px]:overflow-y-auto max-[760px]:grid-cols-1">
          <div className="overflow-y-auto border-r border-line px-4 py-3 max-[1000px]:row-start-2 max-[1000px]:overflow-visible max-[1000px]:border-r-0 max-[760px]:row-auto">
            <Caller call={body} found={found} now={now} error={fields.ci} set={draft.set} onClose={onClose} />
          </div>
          <div className="flex flex-col gap-3 overflow-y-auto px-4 py-3 max-[1000px]:overflow-visible">
            <PersonPicker
              label="Who is calling"
              name={body.name}
              error={fields.requester}
              onName={(name) => draft.set({ name, person: 0 })}
              onPick={(person) => {
                // A device of whoever was chosen before is not this one's; any other thing at fault stays.
                const isKept = body.ci !== "" && !found?.devices.some((device) => String(device.id) === body.ci);
                const thing = isKept ? {} : { place: person.place, ci: "", ciName: "" };
                draft.set({ person: person.id, name: person.name, ...thing });
              }}
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
            {isAsked(states, "text") ? (
              <Field label="In their words" error={fields.text}>
                {(props) => (
                  <textarea
                    {...props}
                    rows={4}
                    className={inputClass}
                    value={body.text}
                    onChange={(event) => draft.set({ text: event.target.value })}
                  />
                )}
              </Field>
            ) : null}
            <div className="grid grid-cols-2 gap-3 max-[500px]:grid-cols-1">
              {isAsked(states, "service") ? (
                <Field label="Service" error={fields.service}>
                  {(props) => (
                    <select
                      {...props}
                      className={inputClass}
                      value={body.service}
                      onChange={(event) => draft.set({ service: event.target.value })}
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
              ) : null}
              {isAsked(states, "category") ? (
                <Field label="Category" error={fields.category}>
                  {(props) => (
                    <select
                      {...props}
                      className={inputClass}
                      value={body.category}
                      onChange={(event) => draft.set({ category: event.target.value })}
                    >
                      <option value="">{preview?.category ? `${preview.category} (by the service)` : "Not known yet"}</option>
                      {choices?.categories.map((category) => (
                        <option key={category}>{category}</option>
                      ))}
                    </select>
                  )}
                </Field>
              ) : null}
              {isAsked(states, "place") ? (
                <Field label="Where" error={fields.place}>
                  {(props) => (
                    <select
                      {...props}
                      className={inputClass}
                      value={body.place}
                      onChange={(event) => draft.set({ place: event.target.value })}
                    >
                      <option value="">Where they work</option>
                      {choices?.places.map((place) => (
                        <option key={place}>{place}</option>
                      ))}
                    </select>
                  )}
                </Field>
              ) : null}
            </div>
            {questions.asked.map((question) => (
              <fieldset key={question.key} id={questionId(question.key)}>
                <legend className="font-semibold text-ink-2">{question.asks}</legend>
                <div className="mt-1">
                  <Switch
                    label={question.asks}
                    value={body[question.key as "who" | "work"]}
                    choices={question.choices.map((choice) => ({ key: choice.key ?? "", name: choice.label ?? "" }))}
                    onChoose={(key) => draft.set({ [question.key]: key })}
                  />
                </div>
                {questions.errorOf(question.key) ? (
                  <p role="alert" className="text-rust">
                    {questions.errorOf(question.key)}
                  </p>
                ) : null}
              </fieldset>
            ))}
            <FormFields
              states={states}
              answers={body.values}
              errors={fields}
              without={DRAWN}
              onChange={(name, value) => draft.set({ values: { ...body.values, [name]: value } })}
            />
            <Assignee call={body} preview={preview} errors={fields} set={draft.set} />
            {own ? <ErrorNote>{problem.message}</ErrorNote> : null}
          </div>
          <div className="overflow-y-auto border-l border-line px-4 py-3 max-[1000px]:overflow-visible">
            <KnownErrorsWhileLogging service={body.service} ci={body.ci} words={`${body.title} ${body.text}`.trim()} />
            <Known
              preview={preview}
              caller={body.name}
              canAdd={body.person > 0}
              isAdding={addTo.isPending}
              onAdd={(number) => addTo.mutate(number)}
              onGuess={(service) => draft.set({ service: String(service) })}
              onClose={onClose}
            />
          </div>
        </div>
        <div className="flex flex-wrap items-center gap-2 border-t border-line bg-sheet px-4 py-2.5">
          <Button type="submit" tone="crown" disabled={log.isPending}>
            {log.isPending ? "Logging…" : "Log it"}
          </Button>
          <Button onClick={onClose}>Cancel</Button>
          <Button tone="quiet" onClick={() => draft.clear()}>
            Clear the form
          </Button>
          <Button tone="quiet" disabled={body.title.trim() === "" || keepStarter.isPending} onClick={() => keepStarter.mutate()}>
            Save as my starter
          </Button>
          {preview && body.title.trim() ? (
            <span className="ml-auto text-[13px] text-ink-2">
              <b className="text-ink">P{preview.priority}</b> to <b className="text-ink">{preview.person || preview.team}</b>
              {preview.answer_due_s ? ` · response by ${when(preview.answer_due_s, now)}` : ""}
              {preview.fix_due_s ? ` · resolution by ${when(preview.fix_due_s, now)}` : ""}
            </span>
          ) : null}
        </div>
      </form>
    </Dialog>
  );
}

/** Fields that show their own error. */
const SHOWN = new Set([...DRAWN, "requester", "team", "person"]);
