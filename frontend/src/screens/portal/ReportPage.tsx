import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Paperclip, X } from "lucide-react";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { api, type KeptFile, type Logged, ok, Problem, sentence, upload } from "../../api/client";
import { useChoices } from "../../parts/choices";
import { ColleaguePicker } from "../../parts/ColleaguePicker";
import { FormFields } from "../../parts/FormFields";
import { useDraft, useNow } from "../../parts/hooks";
import { when } from "../../parts/time";
import { Button, ErrorNote, Field, inputClass } from "../../parts/ui";
import { isAsked, questionId, useQuestions } from "../../parts/Questions";
import { useFormStates } from "../../parts/useFormStates";
import { useSession } from "../../shell/session";
import { REPORT_EMPTY } from "./report";
import { MayHelpAlready } from "./MayHelpAlready";
import { OutageLine } from "./parts";

// What the page draws itself; the rest of the form comes as its states say.
const DRAWN = ["title", "text", "service", "place", "who", "work", "category", "ci"];

/** Two or three plain questions; nothing is asked that is known. */
export function ReportPage() {
  const draft = useDraft("report", REPORT_EMPTY);
  const { me } = useSession();
  const choices = useChoices();
  const queries = useQueryClient();
  const now = useNow();
  const picker = useRef<HTMLInputElement>(null);
  const [fileProblem, setFileProblem] = useState("");
  const [isUploading, setUploading] = useState(false);
  const [done, setDone] = useState<Logged | null>(null);
  const body = draft.body;
  const [isForOtherOpen, setForOther] = useState(false);
  const [isNobody, setNobody] = useState(false);
  const isForOther = isForOtherOpen || body.forName !== "";
  const files = (Array.isArray(body.files) ? body.files : []) as KeptFile[];
  const service = choices?.services.find((candidate) => String(candidate.id) === body.service);
  const home = useQuery({ queryKey: ["portal"], queryFn: () => ok(api.GET("/api/portal")) });
  const known = home.data?.outages.filter((outage) => service && outage.service === service.name) ?? [];
  const device = me?.devices[0];
  const values = body.values ?? {};
  const states = useFormStates("requester", { ...body, values });
  const questions = useQuestions(choices?.questions, states, { who: body.who, work: body.work });

  const send = useMutation({
    mutationFn: () =>
      ok(
        api.POST("/api/portal/report", {
          body: {
            title: body.title,
            text: body.text,
            service: body.service ? +body.service : null,
            ci: body.ci ? +body.ci : null,
            place: body.place,
            for_whom: body.forWhom || null,
            answers: Object.fromEntries(Object.entries({ who: body.who, work: body.work }).filter(([, value]) => value)),
            attachments: files.map((file) => file.id),
            values: Object.fromEntries(Object.entries(values).filter(([, value]) => value !== null && value !== "")) as never,
          },
        }),
      ),
    onSuccess: (logged) => {
      setDone(logged);
      draft.clear();
      void queries.invalidateQueries({ queryKey: ["portal"] });
    },
  });
  const add = async (list: Iterable<File>) => {
    setUploading(true);
    setFileProblem("");
    const kept = [...files];
    for (const file of list) {
      try {
        kept.push(await upload(file));
        draft.set({ files: [...kept] });
      } catch (error) {
        setFileProblem(sentence(error));
      }
    }
    setUploading(false);
  };
  if (done) return <Thanks logged={done} now={now} />;
  const problem = send.error instanceof Problem ? send.error : null;

  return (
    <div className="mx-auto max-w-[720px] pt-8">
      <Link to="/" className="text-sea underline-offset-2 hover:underline">
        ← Back, all is kept
      </Link>
      <h1 className="mb-4 mt-2 text-[26px] font-bold">{service ? `Report a problem with ${service.name}` : "Report a problem"}</h1>
      {known.map((outage) => (
        <div key={outage.id} className="mb-4 rounded-card border border-rust/30 bg-rust-2 px-4 py-3">
          <p className="text-[14px] text-ink-2">Is it this? Then you need not report it: we are on it.</p>
          <OutageLine outage={outage} now={now} />
        </div>
      ))}
      <form
        className="flex flex-col gap-5"
        onSubmit={(event) => {
          event.preventDefault();
          const isChosen = body.forName.trim() === "" || body.forWhom > 0;
          setNobody(!isChosen);
          if (!send.isPending && questions.areAnswered() && isChosen) send.mutate();
        }}
      >
        <Field
          label="What is wrong?"
          error={problem?.fields.title}
          help={body.title.length > 8000 ? `${(10_000 - body.title.length).toLocaleString("en-GB")} characters left of 10,000` : undefined}
        >
          {(props) => (
            <textarea
              {...props}
              rows={2}
              maxLength={10_000}
              className={inputClass}
              value={body.title}
              onChange={(event) => draft.set({ title: event.target.value })}
            />
          )}
        </Field>
        {isForOther ? (
          <ColleaguePicker
            label="For whom?"
            error={isNobody && !body.forWhom ? "Choose a colleague from the list, or leave this empty." : problem?.fields.for_whom}
            name={body.forName}
            onName={(forName) => draft.set({ forName, forWhom: 0 })}
            onPick={(person) => draft.set({ forName: person.name ?? "", forWhom: person.id })}
          />
        ) : (
          <button type="button" className="self-start underline" onClick={() => setForOther(true)}>
            Report it for somebody else
          </button>
        )}
        {isAsked(states, "service") ? (
          <Field label="Which service?" error={problem?.fields.service}>
            {(props) => (
              <select
                {...props}
                className={inputClass}
                value={body.service}
                onChange={(event) => draft.set({ service: event.target.value })}
              >
                <option value="">I do not know</option>
                {choices?.services.map((candidate) => (
                  <option key={candidate.id} value={candidate.id}>
                    {candidate.name}
                  </option>
                ))}
              </select>
            )}
          </Field>
        ) : null}
        <MayHelpAlready service={body.service} ci={body.ci} words={body.title} onHelped={draft.clear} />
        {questions.asked.map((question) => (
          <fieldset key={question.key} id={questionId(question.key)}>
            <legend className="mb-1.5 font-semibold text-ink-2">{question.asks}</legend>
            <div className="flex flex-col gap-1.5">
              {question.choices.map((choice) => {
                const isOn = body[question.key as "who" | "work"] === choice.key;
                return (
                  <label
                    key={choice.key}
                    className={`flex cursor-pointer items-center gap-3 rounded-card border px-4 py-2.5 ${isOn ? "border-sea bg-sea-3" : "border-line bg-sheet hover:border-line-2"}`}
                  >
                    <input type="radio" name={question.key} checked={isOn} onChange={() => draft.set({ [question.key]: choice.key })} />
                    {choice.label}
                  </label>
                );
              })}
            </div>
            {questions.errorOf(question.key) ? (
              <p role="alert" className="mt-1 text-rust">
                {questions.errorOf(question.key)}
              </p>
            ) : null}
          </fieldset>
        ))}
        <FormFields
          states={states}
          answers={values}
          errors={problem?.fields ?? {}}
          without={DRAWN}
          onChange={(name, value) => draft.set({ values: { ...values, [name]: value } })}
        />
        {isAsked(states, "place") ? (
          <Field label="Where is it?" help={me?.place ? `We know that you work at ${me.place}.` : undefined}>
            {(props) => (
              <select
                {...props}
                className={inputClass}
                value={body.place || me?.place || ""}
                onChange={(event) => draft.set({ place: event.target.value })}
              >
                {choices?.places.map((place) => (
                  <option key={place}>{place}</option>
                ))}
              </select>
            )}
          </Field>
        ) : null}
        {device && service?.name === "Workplace laptops" ? (
          <label className="flex items-center gap-3">
            <input
              type="checkbox"
              checked={body.ci === String(device.id)}
              onChange={(event) => draft.set({ ci: event.target.checked ? String(device.id) : "" })}
            />
            It is {device.name}
          </label>
        ) : null}
        <div>
          <input
            ref={picker}
            type="file"
            accept="image/*,.pdf,.txt,.log,.csv"
            multiple
            className="hidden"
            aria-label="Picture to attach"
            onChange={(event) => {
              void add(event.target.files ?? []);
              event.target.value = "";
            }}
          />
          <Button onClick={() => picker.current?.click()} disabled={isUploading} className="h-[38px]">
            <Paperclip size={16} aria-hidden="true" />
            {isUploading ? "Uploading…" : "Add a picture"}
          </Button>
          <ul className="mt-2 flex flex-wrap gap-2">
            {files.map((file) => (
              <li key={file.id} className="flex items-center gap-1.5 rounded-small border border-line-2 bg-sheet px-2 py-1">
                {file.name}
                <button
                  type="button"
                  aria-label={`Remove ${file.name}`}
                  onClick={() => draft.set({ files: files.filter((other) => other.id !== file.id) })}
                >
                  <X size={14} aria-hidden="true" />
                </button>
              </li>
            ))}
          </ul>
          {fileProblem ? (
            <p role="alert" className="mt-1 text-rust">
              {fileProblem}
            </p>
          ) : null}
        </div>
        {problem && Object.keys(problem.fields).length === 0 ? <ErrorNote>{problem.message}</ErrorNote> : null}
        <Button type="submit" tone="sea" disabled={send.isPending} className="h-[42px] self-start px-5 text-[16px]">
          {send.isPending ? "Reporting…" : "Report it"}
        </Button>
      </form>
    </div>
  );
}

function Thanks({ logged, now }: { logged: Logged; now: number }) {
  return (
    <div className="mx-auto max-w-[620px] pt-12" role="status">
      <h1 className="text-[26px] font-bold">
        Thank you. It is {logged.kind} {logged.id}.
      </h1>
      <dl className="mt-5 grid grid-cols-[150px_1fr] gap-y-2 rounded-card border border-line bg-sheet px-5 py-4">
        <dt className="text-ink-2">We understood</dt>
        <dd>{logged.service ? `A problem with ${logged.service}` : "A problem; the desk finds out with what"}</dd>
        <dt className="text-ink-2">It is with</dt>
        <dd>{[logged.holder, logged.team].filter(Boolean).join(", ")}</dd>
        <dt className="text-ink-2">You will hear</dt>
        <dd>
          <b>{logged.answer_due_s ? `by ${when(logged.answer_due_s, now)}` : "as soon as we can"}</b>
        </dd>
        <dt className="text-ink-2">Solved</dt>
        <dd>{logged.fix_due_s ? `by ${when(logged.fix_due_s, now)}` : "as soon as we can"}</dd>
      </dl>
      <p className="mt-4 text-ink-2">The same comes to you by e-mail; reply to it to add something.</p>
      <p className="mt-4 flex gap-5">
        <Link to={`/my/${logged.id}`} className="font-bold text-sea underline">
          Look at it
        </Link>
        <Link to="/" className="text-sea underline">
          Start page
        </Link>
      </p>
    </div>
  );
}
