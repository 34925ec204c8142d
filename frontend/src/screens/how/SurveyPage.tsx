import { asText } from "../../parts/text";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useParams } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { Button, ErrorNote, inputClass, Loading } from "../../parts/ui";
import { useMailKey } from "./mailKey";

const WORDS = ["", "Bad", "Poor", "So so", "Good", "Very good"];

/** How it was: one click from the mail is enough; more can be said. Nobody needs to sign in. */
export function SurveyPage() {
  const { key, score: clicked } = useMailKey(useParams().token ?? "");
  const queries = useQueryClient();
  const [text, setText] = useState("");
  const [answers, setAnswers] = useState<Record<string, string>>({});
  const [said, setSaid] = useState("");
  const withKey = { params: { header: { "Gannet-Key": key } } };
  const { data, error } = useQuery({ queryKey: ["how", key], queryFn: () => ok(api.GET("/api/how", withKey)), retry: false });
  const [problem, setProblem] = useState("");
  const say = async (body: { score?: number; text?: string; answers?: Record<string, string> }, words: string) => {
    try {
      queries.setQueryData(["how", key], await ok(api.POST("/api/how", { ...withKey, body: { text: "", ...body } })));
      setSaid(words);
    } catch (failed) {
      setProblem(sentence(failed));
    }
  };
  const isTold = useRef(false);
  useEffect(() => {
    // The click in the mail opens this page; a scanner that only fetches the address says nothing.
    if (data && clicked >= 1 && clicked <= data.best && data.score === null && !isTold.current) {
      isTold.current = true;
      void say({ score: clicked }, "Thank you. That is enough; say more if you like.");
    }
  });
  if (error)
    return (
      <div className="mx-auto max-w-[560px] p-6">
        <ErrorNote>{sentence(error)}</ErrorNote>
      </div>
    );
  if (!data) return <Loading what="the question" />;
  return (
    <main className="mx-auto max-w-[560px] px-5 py-10 text-[16px]">
      <p className="text-ink-2">
        {data.ticket} {data.title}
      </p>
      <h1 className="mb-4 text-[24px] font-bold">How was it?</h1>
      <div className="flex flex-wrap gap-2" role="group" aria-label="How was it">
        {[5, 4, 3, 2, 1].map((score) => (
          <button
            key={score}
            type="button"
            aria-pressed={data.score === score}
            className={`min-h-[44px] rounded-small border px-3.5 font-semibold ${data.score === score ? "border-sea bg-sea text-on-sea" : "border-line-2 bg-sheet"}`}
            onClick={() => void say({ score }, "Thank you.")}
          >
            {WORDS[score]}
          </button>
        ))}
      </div>
      <form
        className="mt-6 flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void say({ text, answers }, "Thank you. The desk reads it.");
        }}
      >
        {data.questions.map((question) => (
          <label key={String(question.key)} className="flex flex-col gap-1 font-semibold text-ink-2">
            {String(question.label)}
            <input
              className={`${inputClass} font-normal`}
              value={answers[asText(question.key)] ?? asText(data.answers[asText(question.key)] ?? "")}
              onChange={(event) => setAnswers({ ...answers, [String(question.key)]: event.target.value })}
            />
          </label>
        ))}
        <label className="flex flex-col gap-1 font-semibold text-ink-2">
          Anything else
          <textarea rows={4} className={`${inputClass} font-normal`} value={text} onChange={(event) => setText(event.target.value)} />
        </label>
        <Button type="submit" className="self-start">
          Send
        </Button>
      </form>
      <p role="status" className="mt-4 font-semibold">
        {said}
      </p>
      {problem ? <ErrorNote>{problem}</ErrorNote> : null}
    </main>
  );
}
