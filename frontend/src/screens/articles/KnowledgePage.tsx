import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useChoices } from "../../parts/choices";
import { useDebounced, useNow } from "../../parts/hooks";
import { when } from "../../parts/time";
import { Button, Empty, ErrorNote, inputClass, Loading, Switch } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { Folder } from "./Folder";
import { UNNAMED } from "./unnamed";
import { Upkeep } from "./Upkeep";

type Line = components["schemas"]["SoughtArticleShape"];

const ROOMS = [
  { key: "read", name: "Read" },
  { key: "upkeep", name: "Upkeep" },
  { key: "drafts", name: "Drafts" },
];

/** The desk's knowledge: found and read, kept true, and what is being written. */
export function ArticlesPage() {
  const [params, setParams] = useSearchParams();
  const navigate = useNavigate();
  const { me } = useSession();
  const room = params.get("room") ?? "read";
  const [isBusy, setBusy] = useState(false);
  const write = async (title: string) => {
    if (isBusy) return;
    setBusy(true);
    try {
      const kept = await ok(
        api.POST("/api/articles", {
          body: { title: title.trim() || UNNAMED, body: "", service: null, category: "", for_everybody: false, note: "" },
        }),
      );
      void navigate(`/desk/articles/${kept.id}?write`);
    } catch (problem) {
      toast.error(sentence(problem));
    } finally {
      setBusy(false);
    }
  };
  return (
    <div className="mx-auto max-w-[1240px] px-5 py-4">
      <div className="mb-3 flex flex-wrap items-center gap-3">
        <h1 className="text-[21px] font-bold">Knowledge</h1>
        <Switch label="Knowledge" value={room} choices={ROOMS} onChoose={(key) => setParams(key === "read" ? {} : { room: key })} />
        {me?.is_on_desk ? (
          <Button className="ml-auto" disabled={isBusy} onClick={() => void write(params.get("q") ?? "")}>
            New article
          </Button>
        ) : null}
      </div>
      {room === "upkeep" ? (
        <Upkeep onWrite={me?.is_on_desk ? (words) => void write(words) : undefined} />
      ) : room === "drafts" ? (
        <Drafts />
      ) : (
        <Read />
      )}
    </div>
  );
}

const PAGE = 100;
const KINDS = ["how to", "fault and cure", "question", "known error"];
const ORDERS = [
  { key: "changed", name: "last changed first" },
  { key: "title", name: "by title" },
  { key: "used", name: "most used first" },
  { key: "review", name: "next review first" },
] as const;

/** Articles by words, ranked with why, or by category. */
function Read() {
  const [params, setParams] = useSearchParams();
  const words = params.get("q") ?? "";
  const category = params.get("category") ?? "";
  const service = params.get("service") ?? "";
  const kind = params.get("kind") ?? "";
  const isMine = params.has("mine");
  const sort = ORDERS.find((one) => one.key === params.get("sort"))?.key ?? "changed";
  const late = useDebounced(words.trim(), 160);
  const choices = useChoices();
  const now = useNow();
  const pages = useInfiniteQuery({
    queryKey: ["articles", late, category, service, kind, isMine, sort],
    queryFn: ({ pageParam: skip }) =>
      ok(
        api.GET("/api/articles", {
          params: {
            query: {
              q: late,
              category,
              kind,
              sort,
              skip,
              ...(service ? { service: +service } : {}),
              ...(isMine ? { mine: true } : {}),
              ...(late ? {} : { state: "published" }),
            },
          },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last, all) => (late || last.length < PAGE ? undefined : all.length * PAGE),
    placeholderData: keepPreviousData,
  });
  const data = pages.data?.pages.flat();
  const error = pages.error;
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(params);
    if (value === "") next.delete(name);
    else next.set(name, value);
    setParams(next, { replace: true });
  };
  const readAs = data?.[0]?.read_as ?? [];
  return (
    <>
      <div className="mb-2 flex flex-wrap items-center gap-3">
        <input
          type="search"
          autoFocus
          aria-label="Words"
          placeholder="What do you want to know?"
          className={`${inputClass} !w-[360px]`}
          value={words}
          onChange={(event) => set("q", event.target.value)}
        />
        <Pick
          label="Category"
          every="every category"
          options={choices?.categories ?? []}
          value={category}
          onPick={(next) => set("category", next)}
        />
        <Pick
          label="Service"
          every="every service"
          options={choices?.services.map((one) => ({ key: String(one.id), name: one.name })) ?? []}
          value={service}
          onPick={(next) => set("service", next)}
        />
        <Pick label="Kind" every="every kind" options={KINDS} value={kind} onPick={(next) => set("kind", next)} />
        {late ? null : (
          <Pick label="Order" options={[...ORDERS]} value={sort} onPick={(next) => set("sort", next === "changed" ? "" : next)} />
        )}
        <label className="flex min-h-[24px] items-center gap-1.5">
          <input type="checkbox" checked={isMine} onChange={(event) => set("mine", event.target.checked ? "1" : "")} /> mine
        </label>
        {readAs.length > 0 ? <span className="text-ink-2">read {readAs.join("; ")}</span> : null}
      </div>
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {!data && !error ? <Loading what="the articles" /> : null}
      {data?.length === 0 ? <Empty title={late ? "No article has these words" : "There is no article here"} /> : null}
      {data && data.length > 0 ? <Lines lines={data} now={now} /> : null}
      {pages.hasNextPage ? (
        <Button className="mt-2" disabled={pages.isFetchingNextPage} onClick={() => void pages.fetchNextPage()}>
          Show more
        </Button>
      ) : null}
    </>
  );
}

interface PickProps {
  label: string;
  every?: string;
  options: (string | { key: string; name: string })[];
  value: string;
  onPick: (value: string) => void;
}

function Pick({ label, every, options, value, onPick }: PickProps) {
  return (
    <select aria-label={label} className={`${inputClass} !w-[176px]`} value={value} onChange={(event) => onPick(event.target.value)}>
      {every ? <option value="">{every}</option> : null}
      {options.map((one) => {
        const { key, name } = typeof one === "string" ? { key: one, name: one } : one;
        return (
          <option key={key} value={key}>
            {name}
          </option>
        );
      })}
    </select>
  );
}

const EDITORS = ["knowledge editor", "team lead", "administrator"];

function Drafts() {
  const now = useNow();
  const { me } = useSession();
  const [words, setWords] = useState("");
  const pages = useInfiniteQuery({
    queryKey: ["articles", "drafts"],
    queryFn: ({ pageParam: skip }) => ok(api.GET("/api/articles", { params: { query: { state: "draft,in review,retired", skip } } })),
    initialPageParam: 0,
    getNextPageParam: (last, all) => (last.length < PAGE ? undefined : all.length * PAGE),
  });
  const error = pages.error;
  const all = pages.data?.pages.flat();
  const data = all?.filter((one) => one.title.toLowerCase().includes(words.trim().toLowerCase()));
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <Loading what="the drafts" />;
  const groups = ["in review", "draft", "retired"].map((state) => ({ state, lines: data.filter((one) => one.state === state) }));
  const mayImport = (me?.is_on_desk ?? false) && (me?.roles.some((role) => EDITORS.includes(role)) ?? false);
  return (
    <>
      <Folder mayImport={mayImport} />
      {all && all.length > 12 ? (
        <input
          type="search"
          aria-label="Words of a title"
          placeholder="Words of a title"
          className={`${inputClass} mb-3 !w-[280px]`}
          value={words}
          onChange={(event) => setWords(event.target.value)}
        />
      ) : null}
      {all?.length === 0 ? <Empty title="No drafts">What is written waits here until it is published.</Empty> : null}
      {all && all.length > 0 && data.length === 0 ? (
        <Empty title="None of these is called that">{pages.hasNextPage ? "Show more, or use other words." : "Use other words."}</Empty>
      ) : null}
      {groups.map(({ state, lines }) =>
        lines.length === 0 ? null : (
          <section key={state} aria-label={state} className="mb-3">
            <h2 className="mb-1 font-bold">
              {state === "in review" ? "Waiting for review" : state === "draft" ? "Drafts" : "Retired"}{" "}
              <span className="font-normal text-ink-2">{lines.length}</span>
            </h2>
            <Lines lines={lines} now={now} />
          </section>
        ),
      )}
      {pages.hasNextPage ? (
        <p className="text-center">
          <Button disabled={pages.isFetching} onClick={() => void pages.fetchNextPage()}>
            Show more
          </Button>
        </p>
      ) : null}
    </>
  );
}

function Lines({ lines, now }: { lines: Line[]; now: number }) {
  return (
    <ul className="rounded-card border border-line bg-sheet">
      {lines.map((article) => (
        <li key={article.id} className="border-b border-line px-3.5 py-2 last:border-0">
          <div className="flex items-baseline gap-3">
            <span className="font-mono text-[13px] text-ink-2">{article.id}</span>
            <Link
              to={`/desk/articles/${article.id}${article.score === null ? "" : "?found=1"}`}
              className="min-w-0 flex-1 truncate font-semibold hover:underline"
            >
              {article.title}
            </Link>
            <span className="shrink-0 text-[13px] text-ink-2 max-[700px]:hidden">
              {article.state === "published" ? "" : `${article.state} · `}
              {article.language === "en" ? "" : `${article.language_name} · `}
              {article.is_for_some ? "for some · " : article.for_everybody ? "" : "desk only · "}
              {article.service || article.category || "no service"} · {when(article.changed_s, now)}
            </span>
          </div>
          <p className="flex gap-3 text-[13px] text-ink-2">
            <span className="min-w-0 flex-1 truncate">{article.starts}</span>
            {article.score === null ? null : (
              <span className="shrink-0" title="Its rank: words × (0.5 + how surely it helps) × service × freshness">
                {article.why.map((part) => `${part.part} ${part.factor.toFixed(2)}`).join(" × ")} = <b>{article.score.toFixed(2)}</b>
              </span>
            )}
          </p>
        </li>
      ))}
    </ul>
  );
}
