import { useTitle } from "../../shell/PageFocus";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useChoices } from "../../parts/choices";
import { useDraft, useNow } from "../../parts/hooks";
import { when } from "../../parts/time";
import { Button, Empty, ErrorNote, Field, inputClass, Loading } from "../../parts/ui";

type Article = components["schemas"]["WholeArticleShape"];

/** One article, read; changed and published by those who may. */
export function ArticlePage() {
  const { number } = useParams();
  const key = +(number ?? "0");
  const [isEditing, setEditing] = useState(false);
  const now = useNow();
  const queries = useQueryClient();
  const { data, error } = useQuery({
    queryKey: ["article", key],
    queryFn: () => ok(api.GET("/api/articles/{number}", { params: { path: { number: key } } })),
  });
  useTitle(data ? `${data.id} ${data.title}` : undefined);
  if (error instanceof Problem && error.status === 404)
    return <Empty title={`There is no article ${number ?? ""}`}>Or it is not for you to read.</Empty>;
  if (error)
    return (
      <div className="p-6">
        <ErrorNote>{sentence(error)}</ErrorNote>
      </div>
    );
  if (!data) return <Loading what="the article" />;
  const setState = async (state: "draft" | "published" | "retired", words: string) => {
    try {
      queries.setQueryData(
        ["article", key],
        await ok(api.PUT("/api/articles/{number}/state", { params: { path: { number: key } }, body: { state } })),
      );
      toast(words);
    } catch (problem) {
      toast.error(sentence(problem));
    }
  };
  if (isEditing) return <ArticleEditor article={data} onDone={() => setEditing(false)} />;
  return (
    <article className="mx-auto max-w-[760px] px-5 py-5">
      <p className="text-[13px] text-ink-2">
        article <span className="font-mono">{data.id}</span> · {data.state}
        {data.for_everybody ? "" : " · desk only"} · {data.author}, {when(data.changed_s, now)}
        {data.service ? ` · ${data.service}` : ""}
        {data.used > 0 ? ` · helped ${data.used} times` : ""}
        {data.source ? (
          <>
            {" "}
            · from{" "}
            <Link className="underline" to={`/desk/tickets/${data.source}`}>
              {data.source}
            </Link>
          </>
        ) : null}
      </p>
      <h1 className="mb-2 text-[22px] font-bold leading-tight">{data.title}</h1>
      {data.html ? (
        <div className="marked text-[16px] leading-[1.5]" dangerouslySetInnerHTML={{ __html: data.html }} />
      ) : (
        <p className="whitespace-pre-wrap text-[16px] leading-[1.5]">{data.body}</p>
      )}
      {data.may_change ? (
        <div className="no-print mt-5 flex flex-wrap gap-2">
          <Button onClick={() => setEditing(true)}>Change it</Button>
          {data.may_publish && data.state !== "published" ? (
            <Button tone="sea" onClick={() => void setState("published", "Published.")}>
              Publish
            </Button>
          ) : null}
          {data.may_publish && data.state === "published" ? (
            <Button onClick={() => void setState("retired", "Retired.")}>Retire</Button>
          ) : null}
        </div>
      ) : null}
    </article>
  );
}

function ArticleEditor({ article, onDone }: { article: Article; onDone: () => void }) {
  const queries = useQueryClient();
  const choices = useChoices();
  const draft = useDraft(`article-${article.id}`, { title: article.title, body: article.body });
  const [service, setService] = useState(article.service_id);
  const [isPublic, setPublic] = useState(article.for_everybody);
  const [error, setError] = useState<Problem | null>(null);
  const save = async () => {
    try {
      const kept = await ok(
        api.PUT("/api/articles/{number}", {
          params: { path: { number: article.id } },
          body: { title: draft.body.title, body: draft.body.body, service, category: article.category, for_everybody: isPublic },
        }),
      );
      queries.setQueryData(["article", article.id], kept);
      draft.clear();
      onDone();
    } catch (problem) {
      setError(problem instanceof Problem ? problem : null);
    }
  };
  return (
    <form
      className="mx-auto flex max-w-[760px] flex-col gap-3 px-5 py-5"
      onSubmit={(event) => {
        event.preventDefault();
        void save();
      }}
    >
      <Field label="Title" error={error?.fields.title}>
        {(props) => (
          <input
            {...props}
            autoFocus
            maxLength={200}
            className={inputClass}
            value={draft.body.title}
            onChange={(event) => draft.set({ title: event.target.value })}
          />
        )}
      </Field>
      <Field label="Text" error={error?.fields.body} help="Markdown: ## heads, * lists, **bold**.">
        {(props) => (
          <textarea
            {...props}
            rows={18}
            className={inputClass}
            value={draft.body.body}
            onChange={(event) => draft.set({ body: event.target.value })}
          />
        )}
      </Field>
      <Field label="Service">
        {(props) => (
          <select
            {...props}
            className={inputClass}
            value={service ?? ""}
            onChange={(event) => setService(event.target.value ? +event.target.value : null)}
          >
            <option value="">no service</option>
            {choices?.services.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <label className="flex items-center gap-1.5">
        <input type="checkbox" checked={isPublic} onChange={(event) => setPublic(event.target.checked)} />
        Everybody may read it
      </label>
      {error && Object.keys(error.fields).length === 0 ? <ErrorNote>{error.message}</ErrorNote> : null}
      <div className="flex gap-2">
        <Button type="submit" tone="sea">
          Save
        </Button>
        <Button onClick={onDone}>Cancel</Button>
      </div>
    </form>
  );
}

/** The desk's articles; those who may, write one. */
export function ArticlesPage() {
  const [words, setWords] = useState("");
  const navigate = useNavigate();
  const now = useNow();
  const { data, error } = useQuery({
    queryKey: ["articles", words],
    queryFn: () => ok(api.GET("/api/articles", { params: { query: { q: words } } })),
    placeholderData: (before) => before,
  });
  const write = async () => {
    try {
      const kept = await ok(
        api.POST("/api/articles", {
          body: { title: words.trim() || "A new article", body: "", service: null, category: "", for_everybody: false },
        }),
      );
      void navigate(`/desk/articles/${kept.id}`);
    } catch (problem) {
      toast.error(sentence(problem));
    }
  };
  return (
    <div className="mx-auto max-w-[900px] px-5 py-4">
      <div className="mb-3 flex flex-wrap items-center gap-3">
        <h1 className="text-[21px] font-bold">Knowledge</h1>
        <input
          type="search"
          aria-label="Words"
          placeholder="Words"
          className={`${inputClass} !w-[260px]`}
          value={words}
          onChange={(event) => setWords(event.target.value)}
        />
        <Button className="ml-auto" onClick={() => void write()}>
          Write an article
        </Button>
      </div>
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {data && data.length === 0 ? <Empty title="No article has these words" /> : null}
      <ul className="rounded-card border border-line bg-sheet">
        {data?.map((article) => (
          <li key={article.id} className="flex items-baseline gap-3 border-b border-line px-3.5 py-2 last:border-0">
            <span className="font-mono text-[13px] text-ink-2">{article.id}</span>
            <Link to={`/desk/articles/${article.id}`} className="min-w-0 flex-1 truncate font-semibold hover:underline">
              {article.title}
            </Link>
            <span className="shrink-0 text-[13px] text-ink-2">
              {article.state === "published" ? "" : `${article.state} · `}
              {article.for_everybody ? "" : "desk only · "}
              {article.service || "no service"} · {when(article.changed_s, now)}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}
