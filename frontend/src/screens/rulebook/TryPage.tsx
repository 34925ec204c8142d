import { useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useSearchParams } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import { useChoices } from "../../parts/choices";
import { useDebounced, useNow } from "../../parts/hooks";
import { instantOfLocal, localInput } from "../../parts/time";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { NEEDLE, type Outcome, useBook, useReadAgain } from "./data";
import { OutcomeView, ResultValue } from "./outcome";
import { Part, smallInput } from "./parts";
import { WhenInput } from "../../parts/WhenInput";

export interface Example {
  requester: string;
  title: string;
  service: string;
  place: string;
  answers: Record<string, string>;
  [name: string]: unknown;
}

const EMPTY: Example = { requester: "", title: "An example", service: "", place: "", answers: {} };

function useOutcome(of: string, given: Example, at: string) {
  const late = useDebounced(JSON.stringify([given, at]), 350);
  const [example, instant] = JSON.parse(late) as [Example, string];
  return useQuery({
    queryKey: [...NEEDLE, "try", of, late],
    queryFn: () =>
      ok(
        api.POST("/api/rulebook/try", {
          body: { of, given: bodyOf(example) as never, at: new Date(instantOfLocal(instant) * 1000).toISOString() },
        }),
      ),
    enabled: example.requester !== "" && instant !== "",
    retry: false,
    placeholderData: (old: Outcome | undefined) => old,
  });
}

function bodyOf(example: Example): Record<string, unknown> {
  return {
    ...example,
    service: example.service || null,
    answers: Object.fromEntries(Object.entries(example.answers).filter(([, value]) => value)),
  };
}

/** Try the draft on a made-up ticket or a real one: the trace, and what would happen next. */
export function TryPage() {
  const { which } = useBook();
  const [params, setParams] = useSearchParams();
  const now = useNow();
  const [given, setGiven] = useState<Example>(EMPTY);
  const [at, setAt] = useState(() => localInput(now));
  const [isKeeping, setKeeping] = useState(false);
  const outcome = useOutcome(which, given, at);
  const take = useMutation({
    mutationFn: (number: number) => ok(api.GET("/api/rulebook/examples/{number}", { params: { path: { number } } })),
    onSuccess: (example) => {
      setGiven({ ...EMPTY, ...(example.given as Partial<Example>), service: (example.given.service as string | null) ?? "" });
      setAt(localInput(Date.parse(example.at) / 1000));
      setParams({ ticket: String(example.number) }, { replace: true });
    },
    onError: (error) => toast.error(sentence(error)),
  });
  return (
    <>
      <div className="flex flex-wrap items-end gap-2">
        <label className="text-ink-2">
          Take a real ticket:{" "}
          <input
            type="number"
            aria-label="Number of a ticket"
            placeholder="1042"
            className={`${smallInput} w-24`}
            defaultValue={params.get("ticket") ?? ""}
            onKeyDown={(event) =>
              event.key === "Enter" && event.currentTarget.value ? take.mutate(+event.currentTarget.value) : undefined
            }
            onBlur={(event) =>
              event.target.value && event.target.value !== params.get("ticket") ? take.mutate(+event.target.value) : undefined
            }
          />
        </label>
        <span className="text-ink-2">or make one up:</span>
      </div>
      <ExampleForm given={given} at={at} onGiven={setGiven} onAt={setAt} />
      {outcome.error ? <ErrorNote>{problemWords(outcome.error)}</ErrorNote> : null}
      {!given.requester ? <p className="mt-3 text-ink-2">Say who asks: care tier, place and hours follow from it.</p> : null}
      {outcome.data ? (
        <Part
          title={which === "draft" ? "Under the draft" : "Under the edition in force"}
          aside={
            <Button tone="sea" onClick={() => setKeeping(true)}>
              Keep as a rehearsal…
            </Button>
          }
        >
          <OutcomeView outcome={outcome.data} />
        </Part>
      ) : null}
      {outcome.data ? (
        <KeepDialog
          isOpen={isKeeping}
          onClose={() => setKeeping(false)}
          outcome={outcome.data}
          given={given}
          at={at}
          fromTicket={params.get("ticket")}
        />
      ) : null}
    </>
  );
}

function problemWords(error: unknown): string {
  if (error instanceof Problem && Object.keys(error.fields).length > 0) return Object.values(error.fields).join(" ");
  return sentence(error);
}

interface ExampleFormProps {
  given: Example;
  at: string;
  onGiven: (given: Example) => void;
  onAt: (at: string) => void;
}

function ExampleForm({ given, at, onGiven, onAt }: ExampleFormProps) {
  const choices = useChoices();
  const set = (change: Partial<Example>) => onGiven({ ...given, ...change });
  return (
    <div className="mt-2 grid grid-cols-3 gap-3 max-[900px]:grid-cols-1">
      <RequesterField value={given.requester} onChange={(requester) => set({ requester })} />
      <Field label="What is wrong">
        {(props) => (
          <input {...props} className={inputClass} value={given.title} onChange={(event) => set({ title: event.target.value })} />
        )}
      </Field>
      <Field label="When">{(props) => <WhenInput props={props} value={at} onChange={(next) => onAt(next)} />}</Field>
      <Field label="Service">
        {(props) => (
          <select {...props} className={inputClass} value={given.service} onChange={(event) => set({ service: event.target.value })}>
            <option value="">not known</option>
            {choices?.services.map((service) => (
              <option key={service.id}>{service.name}</option>
            ))}
          </select>
        )}
      </Field>
      <Field label="Where">
        {(props) => (
          <select {...props} className={inputClass} value={given.place} onChange={(event) => set({ place: event.target.value })}>
            <option value="">where they work</option>
            {choices?.places.map((place) => (
              <option key={place}>{place}</option>
            ))}
          </select>
        )}
      </Field>
      {choices?.questions
        .filter((question) => question.choices.length > 0)
        .map((question) => (
          <Field key={question.key} label={question.asks}>
            {(props) => (
              <select
                {...props}
                className={inputClass}
                value={given.answers[question.key] ?? ""}
                onChange={(event) => set({ answers: { ...given.answers, [question.key]: event.target.value } })}
              >
                <option value="">not said</option>
                {question.choices.map((choice) => (
                  <option key={choice.key} value={choice.key}>
                    {choice.label}
                  </option>
                ))}
              </select>
            )}
          </Field>
        ))}
    </div>
  );
}

/** Who asks: typed by name, kept by address. */
function RequesterField({ value, onChange }: { value: string; onChange: (address: string) => void }) {
  const [text, setText] = useState("");
  const search = useDebounced(text, 200);
  const { data } = useQuery({
    queryKey: ["people", search],
    queryFn: () => ok(api.GET("/api/people", { params: { query: { q: search } } })),
    enabled: search.length > 1,
  });
  // The list may come after the name was typed and left.
  const exact = data?.find((person) => person.name.toLowerCase() === text.trim().toLowerCase())?.email;
  useEffect(() => {
    if (exact && exact !== value) onChange(exact);
    // Only a new hit counts; `onChange` is another function at each drawing.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [exact]);
  return (
    <Field label="Who asks" help={value || undefined}>
      {(props) => (
        <>
          <input
            {...props}
            list="requesters"
            autoComplete="off"
            placeholder="Name"
            className={inputClass}
            value={text}
            onChange={(event) => {
              setText(event.target.value);
              const hit = data?.find((person) => person.name === event.target.value);
              if (hit) onChange(hit.email);
              else if (event.target.value === "") onChange("");
            }}
            onBlur={() => {
              const hit = data?.find((person) => person.name.toLowerCase().startsWith(text.toLowerCase()));
              if (text && hit) {
                setText(hit.name);
                onChange(hit.email);
              }
            }}
          />
          <datalist id="requesters">
            {data?.map((person) => (
              <option key={person.id} value={person.name}>
                {person.job}
              </option>
            ))}
          </datalist>
        </>
      )}
    </Field>
  );
}

interface KeepProps {
  isOpen: boolean;
  onClose: () => void;
  outcome: Outcome;
  given: Example;
  at: string;
  fromTicket: string | null;
}

function KeepDialog({ isOpen, onClose, outcome, given, at, fromTicket }: KeepProps) {
  const readAgain = useReadAgain();
  const [name, setName] = useState("");
  const [wanted, setWanted] = useState<string[]>(["priority", "agreement", "answer by", "fix by", "team"]);
  const keep = useMutation({
    mutationFn: () =>
      ok(
        api.POST("/api/rulebook/rehearsals", {
          body: {
            name,
            given: bodyOf(given) as never,
            at: new Date(instantOfLocal(at) * 1000).toISOString(),
            expected: Object.fromEntries(wanted.map((key) => [key, outcome.result[key] ?? null])) as never,
            from_ticket: fromTicket ? +fromTicket : null,
          },
        }),
      ),
    onSuccess: () => {
      readAgain();
      onClose();
      toast("Saved. It runs before every edition is published.");
    },
  });
  return (
    <Dialog
      title="Keep as a rehearsal"
      about="An edition in which it comes out otherwise cannot be published unnoticed."
      isOpen={isOpen}
      onClose={onClose}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          keep.mutate();
        }}
      >
        <Field label="Name" error={keep.error instanceof Problem ? keep.error.fields.name : undefined}>
          {(props) => (
            <input
              {...props}
              required
              maxLength={160}
              className={inputClass}
              placeholder="Gates down on a Friday night"
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
          )}
        </Field>
        <fieldset>
          <legend className="font-semibold text-ink-2">It must come out</legend>
          {Object.entries(outcome.result).map(([key, value]) => (
            <label key={key} className="flex items-center gap-2 py-0.5">
              <input
                type="checkbox"
                checked={wanted.includes(key)}
                onChange={() => setWanted(wanted.includes(key) ? wanted.filter((one) => one !== key) : [...wanted, key])}
              />
              {key}:{" "}
              <b>
                <ResultValue name={key} value={value} />
              </b>
            </label>
          ))}
        </fieldset>
        {keep.error ? <ErrorNote>{sentence(keep.error)}</ErrorNote> : null}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea" disabled={keep.isPending || wanted.length === 0}>
            Save
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

/** One line under an agreement: what it would promise for an example. */
export function QuickTry({ agreement }: { agreement: string }) {
  const { which } = useBook();
  const now = useNow();
  const [given, setGiven] = useState<Example>(EMPTY);
  const [at, setAt] = useState(() => localInput(now));
  const { data, error } = useOutcome(which, given, at);
  return (
    <Part title="Try it">
      <ExampleForm given={given} at={at} onGiven={setGiven} onAt={setAt} />
      {error ? <p className="mt-2 text-rust">{problemWords(error)}</p> : null}
      {data && given.requester ? (
        <p className="mt-2">
          →{" "}
          <b>
            <ResultValue name="priority" value={data.result.priority} />
          </b>
          {data.result.agreement === agreement ? "" : `, but ${String(data.result.agreement)} applies`} ·{" "}
          <b>
            response due <ResultValue name="answer by" value={data.result["answer by"]} />
          </b>{" "}
          ·{" "}
          <b>
            resolution due <ResultValue name="fix by" value={data.result["fix by"]} />
          </b>
          <span className="text-ink-2">
            {" "}
            {(data.why["fix by"] ?? []).map((step) => `${step.label}${step.value ? ` ${step.value}` : ""}`).join(", ")}
          </span>
        </p>
      ) : null}
    </Part>
  );
}
