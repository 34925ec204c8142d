import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { useDebounced } from "../../parts/hooks";
import { Empty, ErrorNote, inputClass, Loading } from "../../parts/ui";

const FIRST = 6;

/** Every answer there is for me, by what it is about. */
export function AnswersPage() {
  const [params, setParams] = useSearchParams();
  // What is typed stands here at once; the address follows, so that Back finds it again.
  const [typed, setTyped] = useState(params.get("words") ?? "");
  const [whole, setWhole] = useState<string[]>([]);
  const words = useDebounced(typed.trim(), 160);
  const { data, error } = useQuery({
    queryKey: ["portal", "articles", words],
    queryFn: () => ok(api.GET("/api/portal/articles", { params: { query: { words } } })),
    placeholderData: keepPreviousData,
  });
  const found = data?.subjects ?? [];
  const count = found.reduce((sum, one) => sum + one.articles.length, 0);
  return (
    <div className="pt-8">
      <p>
        <Link to="/" className="inline-block min-h-[24px] underline">
          ← Home
        </Link>
      </p>
      <h1 className="mb-3 mt-1 text-[28px] font-bold leading-tight">
        <label htmlFor="narrow">All answers, by subject</label>
      </h1>
      <input
        id="narrow"
        autoComplete="off"
        placeholder="Some of its words"
        className={`${inputClass} max-w-[520px]`}
        value={typed}
        onChange={(event) => {
          setTyped(event.target.value);
          setParams(event.target.value ? { words: event.target.value } : {}, { replace: true });
        }}
      />
      <p role="status" className="mt-1 text-[14px] text-ink-2">
        {data ? `${count} ${count === 1 ? "answer" : "answers"}${words ? ` with “${words}”` : ""}` : ""}
        {data && data.read_as.length > 0 ? `, read ${data.read_as.join("; ")}` : ""}
      </p>
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {!data && !error ? <Loading what="the answers" /> : null}
      {data && count === 0 ? (
        <Empty title={words ? "No answer has these words" : "There are no answers yet"}>
          <Link to="/" className="underline">
            Tell the desk in your own words
          </Link>
        </Empty>
      ) : null}
      <div className="mt-5 grid grid-cols-2 items-start gap-x-8 gap-y-6 max-[760px]:grid-cols-1">
        {found.map((one) => {
          const isWhole = words !== "" || whole.includes(one.subject) || one.articles.length <= FIRST + 1;
          return (
            <section key={one.subject} aria-label={one.subject} className="min-w-0">
              <h2 className="border-b border-line pb-1 text-[17px] font-bold">
                {one.subject} <span className="text-[14px] font-normal text-ink-2">{one.articles.length}</span>
              </h2>
              <ul>
                {one.articles.slice(0, isWhole ? undefined : FIRST).map((article) => (
                  <li key={article.id}>
                    <Link to={`/articles/${article.id}?found=1`} className="block border-b border-line py-2 hover:bg-sea-3">
                      <b>{article.title}</b>
                      <span className="block truncate text-[14px] text-ink-2">{article.starts}</span>
                    </Link>
                  </li>
                ))}
              </ul>
              {isWhole ? null : (
                <button type="button" className="min-h-[34px] underline" onClick={() => setWhole([...whole, one.subject])}>
                  Show all {one.articles.length}
                </button>
              )}
            </section>
          );
        })}
      </div>
    </div>
  );
}
