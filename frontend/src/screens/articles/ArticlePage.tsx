import { useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useRef, useState } from "react";
import { Link, useLocation, useParams, useSearchParams } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useNow } from "../../parts/hooks";
import { exact, when } from "../../parts/time";
import { Button, Empty, ErrorNote, Loading } from "../../parts/ui";
import { useTitle } from "../../shell/PageFocus";
import { useSession } from "../../shell/session";
import { ArticleLife } from "./ArticleLife";
import { Marked } from "./Marked";
import { TickSteps } from "./TickSteps";
import { ArticleVote } from "./ArticleVote";
import { OtherLanguages, TranslateDialog } from "./Translations";

// Readers need not fetch what writers type in.
const ArticleEditor = lazy(() => import("./ArticleEditor").then((m) => ({ default: m.ArticleEditor })));

type Article = components["schemas"]["WholeArticleShape"];
type State = "draft" | "in review" | "published" | "retired";

/** One article, read; said whether it helped; changed and published by those who may. */
export function ArticlePage() {
  const { number } = useParams();
  // Another article is another page: what was begun of one is not gone on with in the next.
  return <OneArticle key={number} number={number ?? ""} />;
}

function OneArticle({ number }: { number: string }) {
  const key = +(number || "0");
  const [params] = useSearchParams();
  const [isEditing, setEditing] = useState(params.has("write"));
  const now = useNow();
  const { me } = useSession();
  const isDesk = useLocation().pathname.startsWith("/desk");
  const found = params.has("found");
  const ticket = +(params.get("for") ?? "0");
  const text = useRef<HTMLDivElement>(null);
  const { data, error } = useQuery({
    queryKey: ["article", key],
    queryFn: () => ok(api.GET("/api/articles/{number}", { params: { path: { number: key }, query: found ? { found } : {} } })),
  });
  useTitle(data ? `${data.id} ${data.title}` : undefined);
  if (error instanceof Problem && error.status === 404)
    return <Empty title={`There is no article ${number}`}>Or it is not for you to read.</Empty>;
  if (error)
    return (
      <div className="p-6">
        <ErrorNote>{sentence(error)}</ErrorNote>
      </div>
    );
  if (!data || !me) return <Loading what="the article" />;
  if (isEditing && data.may_change)
    return (
      <Suspense fallback={<Loading what="the editor" />}>
        <ArticleEditor article={data} onDone={() => setEditing(false)} />
      </Suspense>
    );
  const hasLife = isDesk && me.is_on_desk;
  return (
    <div
      className={`mx-auto px-5 py-5 ${hasLife ? "grid max-w-[1180px] grid-cols-[minmax(0,760px)_minmax(280px,1fr)] gap-8 max-[1000px]:grid-cols-1" : "max-w-[760px]"}`}
    >
      <article className="min-w-0">
        <Facts article={data} isDesk={hasLife} now={now} />
        <h1 className="mb-2 text-[22px] font-bold leading-tight" lang={data.language}>
          {data.title}
        </h1>
        <OtherLanguages article={data} isDesk={isDesk} />
        {isDesk && me.is_on_desk && ticket > 0 ? (
          <TickSteps key={ticket} article={data.id} ticket={ticket} text={text} now={now} isPublished={data.state === "published"} />
        ) : null}
        {data.html ? (
          <Marked html={data.html} language={data.language} ref={text} />
        ) : (
          <p className="whitespace-pre-wrap text-[16px] leading-[1.5]">{data.body}</p>
        )}
        {data.follows ? <Followed follows={data.follows} now={now} /> : null}
        {data.may_vote ? <ArticleVote article={data} /> : null}
        <Acts article={data} onEdit={() => setEditing(true)} />
        {data.related.length > 0 ? (
          <section aria-label="Related" className="no-print mt-5">
            <h2 className="font-bold">Related</h2>
            <ul>
              {data.related.map((one) => (
                <li key={one.id}>
                  <Link className="inline-block min-h-[24px] underline" to={`${isDesk ? "/desk" : ""}/articles/${one.id}?found=1`}>
                    {one.title}
                  </Link>
                </li>
              ))}
            </ul>
          </section>
        ) : null}
      </article>
      {hasLife ? (
        <aside className="no-print min-w-0" aria-label="What became of it">
          <ArticleLife number={data.id} shown={data.version} mayChange={data.may_change} now={now} />
        </aside>
      ) : null}
    </div>
  );
}

function Facts({ article, isDesk, now }: { article: Article; isDesk: boolean; now: number }) {
  const whom = article.is_for_some
    ? `for ${article.audience.map((one) => one.name).join(", ") || "some"}`
    : article.for_everybody
      ? "for everybody"
      : "desk only";
  if (!isDesk)
    return (
      <p className="text-[13px] text-ink-2">
        {article.kind} · changed {when(article.changed_s, now)}
      </p>
    );
  const isLate = article.review_s !== null && article.review_s < now && article.state === "published";
  return (
    <p className="text-[13px] text-ink-2">
      article <span className="font-mono">{article.id}</span> · {article.state}
      {article.newest > article.version ? `, version ${article.newest} waits` : ""} · {whom} · looked after by{" "}
      <b className="text-ink">{article.owner || "nobody"}</b>
      {article.service ? ` · ${article.service}` : ""}
      {article.review_s !== null && article.state === "published" ? (
        <span className={isLate ? "font-semibold text-rust" : ""} title={exact(article.review_s)}>
          {" "}
          · review {isLate ? "was due" : "by"} {when(article.review_s, now)}
        </span>
      ) : null}
      {article.source ? (
        <>
          {" "}
          · from{" "}
          <Link className="underline" to={`/desk/tickets/${article.source}`}>
            {article.source}
          </Link>
        </>
      ) : null}
    </p>
  );
}

/** The known error of an article, as it stands now: nobody need write it again. */
function Followed({ follows, now }: { follows: NonNullable<Article["follows"]>; now: number }) {
  const isOver = follows.ended_s !== null;
  return (
    <section aria-label="How it stands" className="mt-4 rounded-small border border-l-[5px] border-line-2 border-l-sea bg-sea-3 px-3 py-2">
      <h2 className="font-bold">
        {isOver ? `It is fixed, since ${when(follows.ended_s ?? now, now)}` : "It is not fixed yet"}
        {follows.problem !== null ? (
          <span className="font-normal text-ink-2">
            {" "}
            ·{" "}
            <Link className="underline" to={`/desk/tickets/${follows.problem}`}>
              problem {follows.problem}
            </Link>
          </span>
        ) : null}
      </h2>
      {!isOver && follows.workaround ? (
        <>
          <p className="text-[13px] text-ink-2">
            What helps until then{follows.since_s !== null ? `, known since ${when(follows.since_s, now)}` : ""}:
          </p>
          <p className="whitespace-pre-wrap">{follows.workaround}</p>
        </>
      ) : null}
    </section>
  );
}

/** What can be done with an article, by those who may. */
function Acts({ article, onEdit }: { article: Article; onEdit: () => void }) {
  const queries = useQueryClient();
  const [isBusy, setBusy] = useState(false);
  const [isRetiring, setRetiring] = useState(false);
  const [isTranslating, setTranslating] = useState(false);
  const attempt = async (does: () => Promise<Article>, words: string) => {
    if (isBusy) return;
    setBusy(true);
    try {
      queries.setQueryData(["article", article.id], await does());
      void queries.invalidateQueries({ queryKey: ["article", article.id, "life"] });
      void queries.invalidateQueries({ queryKey: ["articles"] });
      toast(words);
    } catch (problem) {
      toast.error(sentence(problem));
    } finally {
      setBusy(false);
    }
  };
  const path = { params: { path: { number: article.id } } };
  const become = (state: State, words: string) =>
    attempt(() => ok(api.PUT("/api/articles/{number}/state", { ...path, body: { state } })), words);
  const waits = article.newest > article.version;
  const isPublished = article.state === "published";
  const share = async () => {
    const address = `${window.location.origin}/articles/${article.id}`;
    try {
      await navigator.clipboard.writeText(address);
      toast("The link is copied.");
    } catch {
      toast(address);
    }
  };
  return (
    <div className="no-print mt-5 flex flex-wrap gap-2">
      {article.may_change ? <Button onClick={onEdit}>{waits ? `Go on with version ${article.newest}` : "Change it"}</Button> : null}
      {article.may_publish && (!isPublished || waits) ? (
        <Button tone="sea" disabled={isBusy} onClick={() => void become("published", "Published.")}>
          Publish{waits ? ` version ${article.newest}` : ""}
        </Button>
      ) : null}
      {article.may_change && !article.may_publish && article.state === "draft" ? (
        <Button tone="sea" disabled={isBusy} onClick={() => void become("in review", "Editors see it among the drafts.")}>
          Ask for review
        </Button>
      ) : null}
      {article.may_change && article.state === "in review" ? (
        <Button disabled={isBusy} onClick={() => void become("draft", "It is a draft again.")}>
          Back to draft
        </Button>
      ) : null}
      {article.may_change && isPublished ? (
        <Button
          disabled={isBusy}
          onClick={() => void attempt(() => ok(api.POST("/api/articles/{number}/reviewed", path)), "Reviewed: due again in half a year.")}
        >
          Still true
        </Button>
      ) : null}
      {article.may_publish && isPublished ? (
        <Button disabled={isBusy} aria-expanded={isRetiring} onClick={() => setRetiring(!isRetiring)}>
          Retire…
        </Button>
      ) : null}
      {article.may_change ? <Button onClick={() => setTranslating(true)}>Translate…</Button> : null}
      {isTranslating ? <TranslateDialog article={article} onClose={() => setTranslating(false)} /> : null}
      <Follow article={article} />
      <Button onClick={() => void share()}>Copy the link</Button>
      <Button onClick={() => window.print()}>Print</Button>
      <Button onClick={() => window.location.assign(`/api/articles/${article.id}/pdf`)}>PDF</Button>
      {isRetiring && isPublished ? (
        <Retiring
          number={article.id}
          isBusy={isBusy}
          onRetire={() => {
            setRetiring(false);
            void become("retired", "Retired: nobody finds it any more.");
          }}
          onLeave={() => setRetiring(false)}
        />
      ) : null}
    </div>
  );
}

/** What leads to an article that is about to be found no more. */
function Retiring({ number, isBusy, onRetire, onLeave }: { number: number; isBusy: boolean; onRetire: () => void; onLeave: () => void }) {
  const { data, error } = useQuery({
    queryKey: ["article", number, "life"],
    queryFn: () => ok(api.GET("/api/articles/{number}/life", { params: { path: { number } } })),
  });
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <Loading what="what links to it" />;
  const many = data.linked_from.length;
  return (
    <section aria-label="Before it is retired" className="w-full rounded-card border border-line bg-sheet px-4 py-3">
      <p>
        {many === 0
          ? "No article links to it."
          : `${many === 1 ? "One article links" : `${many} articles link`} to it, and would lead nowhere:`}{" "}
        It was read {data.reads} times in 30 days.
      </p>
      {many > 0 ? (
        <ul className="mt-1">
          {data.linked_from.map((one) => (
            <li key={one.id}>
              <Link className="inline-block min-h-[24px] underline" to={`/desk/articles/${one.id}`}>
                {one.id} {one.title}
              </Link>
            </li>
          ))}
        </ul>
      ) : null}
      <p className="mt-2 flex gap-2">
        <Button tone="sea" disabled={isBusy} onClick={onRetire}>
          Retire it
        </Button>
        <Button onClick={onLeave}>Leave it published</Button>
      </p>
    </section>
  );
}

/** Hear when a new version is published, or hear of it no more. */
function Follow({ article }: { article: Article }) {
  const queries = useQueryClient();
  const [isBusy, setBusy] = useState(false);
  if (article.state !== "published") return null;
  const follow = async () => {
    if (isBusy) return;
    setBusy(true);
    try {
      const path = { params: { path: { number: article.id } } };
      const kept = await ok(api.PUT("/api/articles/{number}/following", { ...path, body: { is_followed: !article.is_followed } }));
      queries.setQueryData(["article", article.id], { ...article, ...kept });
      toast(kept.is_followed ? "You hear of it when it is changed." : "You hear of it no more.");
    } catch (problem) {
      toast.error(sentence(problem));
    } finally {
      setBusy(false);
    }
  };
  return (
    <Button disabled={isBusy} aria-pressed={article.is_followed} onClick={() => void follow()}>
      {article.is_followed ? "Followed" : "Follow"}
    </Button>
  );
}
