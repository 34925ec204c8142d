import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { Button, Dialog, ErrorNote, inputClass } from "../../parts/ui";
import { useSession } from "../../shell/session";

type Asked = components["schemas"]["QuestionsShape"];

const MOST = 8;

/** What each service asks its requesters after closing, beside how it was. */
export function Surveys() {
  const { me } = useSession();
  const [editing, setEditing] = useState<Asked | null>(null);
  const { data } = useQuery({ queryKey: ["survey-questions"], queryFn: () => ok(api.GET("/api/survey-questions")) });
  const mayChange = Boolean(me?.roles.some((one) => one === "administrator" || one === "team lead"));
  const asking = data?.filter((one) => one.questions.length > 0) ?? [];
  const silent = data?.filter((one) => one.questions.length === 0) ?? [];
  return (
    <section aria-label="Questions after closing" className="mt-4 rounded-card border border-line bg-sheet">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-line px-3.5 py-2">
        <h2 className="font-bold">Questions after closing</h2>
        <p className="min-w-0 flex-1 text-[13px] text-ink-2">Every requester is asked how it was; a service may ask more.</p>
        {mayChange && silent.length > 0 ? (
          <select
            aria-label="Ask more for another service"
            className={`${inputClass} !w-auto`}
            value=""
            onChange={(event) => setEditing(silent.find((one) => String(one.service) === event.target.value) ?? null)}
          >
            <option value="">For another service…</option>
            {silent.map((one) => (
              <option key={one.service} value={one.service}>
                {one.name}
              </option>
            ))}
          </select>
        ) : null}
      </div>
      <ul>
        {asking.map((one) => (
          <li key={one.service} className="flex items-start gap-3 border-b border-line px-3.5 py-2 last:border-0">
            <div className="min-w-0 flex-1">
              <p className="font-semibold">{one.name}</p>
              <ul className="text-[13px] text-ink-2">
                {one.questions.map((question) => (
                  <li key={question.key}>{question.label}</li>
                ))}
              </ul>
            </div>
            {mayChange ? (
              <Button tone="quiet" aria-label={`Change what ${one.name} asks`} onClick={() => setEditing(one)}>
                Change
              </Button>
            ) : null}
          </li>
        ))}
      </ul>
      {editing ? <Editor asked={editing} onClose={() => setEditing(null)} /> : null}
    </section>
  );
}

function Editor({ asked, onClose }: { asked: Asked; onClose: () => void }) {
  const queries = useQueryClient();
  const [questions, setQuestions] = useState(asked.questions.length > 0 ? asked.questions : [{ key: "", label: "" }]);
  const [error, setError] = useState<Problem | null>(null);
  const change = (at: number, label: string) => setQuestions(questions.map((one, index) => (index === at ? { ...one, label } : one)));
  const move = (at: number, by: number) => {
    const next = [...questions];
    const [one] = next.splice(at, 1);
    if (one) next.splice(at + by, 0, one);
    setQuestions(next);
  };
  const save = async () => {
    try {
      await ok(api.PUT("/api/survey-questions/{number}", { params: { path: { number: asked.service } }, body: { questions } }));
      await queries.invalidateQueries({ queryKey: ["survey-questions"] });
      toast.success(
        questions.length > 0
          ? `${asked.name} asks ${questions.length === 1 ? "one question" : `${questions.length} questions`} from its next closing on.`
          : `${asked.name} asks only how it was.`,
      );
      onClose();
    } catch (problem) {
      setError(problem instanceof Problem ? problem : null);
      if (!(problem instanceof Problem)) toast.error(sentence(problem));
    }
  };
  return (
    <Dialog title={`What ${asked.name} asks after closing`} isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          void save();
        }}
      >
        {questions.map((one, index) => (
          <div key={one.key || `new-${index}`} className="flex flex-wrap items-center gap-1.5">
            <input
              aria-label={`Question ${index + 1}`}
              autoFocus={index === questions.length - 1}
              maxLength={200}
              className={`${inputClass} min-w-0 flex-1`}
              value={one.label}
              onChange={(event) => change(index, event.target.value)}
            />
            <Button tone="quiet" disabled={index === 0} aria-label={`Ask question ${index + 1} earlier`} onClick={() => move(index, -1)}>
              ↑
            </Button>
            <Button
              tone="quiet"
              aria-label={`Remove question ${index + 1}`}
              onClick={() => setQuestions(questions.filter((_, at) => at !== index))}
            >
              ×
            </Button>
            {error?.fields[`questions.${index}`] ? <p className="w-full text-rust">{error.fields[`questions.${index}`]}</p> : null}
          </div>
        ))}
        {questions.length === 0 ? <p className="text-ink-2">Nothing more than how it was.</p> : null}
        <Button
          tone="quiet"
          className="self-start"
          disabled={questions.length >= MOST}
          onClick={() => setQuestions([...questions, { key: "", label: "" }])}
        >
          Add a question
        </Button>
        {error && Object.keys(error.fields).length === 0 ? <ErrorNote>{error.message}</ErrorNote> : null}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea">
            Save
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
