import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import { useDebounced } from "../../parts/hooks";
import { ErrorNote } from "../../parts/ui";
import { type Rule, useBook, useEntry } from "./data";
import { entriesOf } from "./edits";
import { EditState, moved, options, OrderButtons, PickMany, PickOne, smallInput, TextInput } from "./parts";
import { type SectionSpec, yesNo } from "./section/spec";

interface ArticleAction {
  do: string;
  who?: string[];
  text?: string;
  hook?: string;
  days?: number;
}

type ArticleRule = Omit<Rule, "then"> & { then: ArticleAction[] };

const MOMENTS: Record<string, string> = {
  published: "an article is published",
  retired: "an article is retired",
  "sent to review": "an article waits for its review",
  "did not help": "an article did not help somebody",
  disputed: "an article becomes disputed",
};
const ACTIONS: { key: string; name: string; fresh: ArticleAction }[] = [
  { key: "notify", name: "tell somebody", fresh: { do: "notify", who: ["owner"], text: "“{title}” wants a look" } },
  { key: "webhook", name: "post it to another system", fresh: { do: "webhook", hook: "" } },
  { key: "review", name: "have it reviewed soon", fresh: { do: "review", days: 7 } },
];

/** Rules for articles: when one is published or did not help, if, then. */
export const articleRules: SectionSpec<ArticleRule> = {
  section: "article_rules",
  title: "Rules for articles",
  one: "rule for articles",
  about: "What follows when an article is published, retired, or did not help its readers. A new rule is off until you turn it on.",
  nameOf: (one) => one.name,
  wordsOf: (one) => one.description ?? "",
  isOff: (one) => one.is_on === false,
  isOrdered: true,
  freshName: "New rule",
  columns: [
    { label: "when", of: (one) => one.when.map((moment) => MOMENTS[moment] ?? moment).join(" or ") },
    { label: "what it is for", of: (one) => one.description ?? "" },
    { label: "then", of: (one) => (one.stop ? "stop here" : "") },
  ],
  bulk: [{ name: "is_on", label: "on or off", choices: () => yesNo("on", "off"), value: (key) => key === "yes" }],
  fresh: [
    {
      label: "New rule",
      make: (key) => ({
        key,
        name: "New rule",
        description: "",
        when: ["disputed"],
        if: { all: [] },
        then: [{ do: "notify", who: ["owner"], text: "“{title}” is disputed" }],
        stop: false,
        is_on: false,
      }),
    },
  ],
  Editor: ArticleRuleEditor,
};

function ArticleRuleEditor({ stored }: { stored: ArticleRule }) {
  const { words } = useBook();
  const editing = useEntry<ArticleRule>("article_rules", stored.key, stored);
  const rule = editing.value;
  const set = (change: Partial<ArticleRule>) => editing.set({ ...rule, ...change });
  const replace = (at: number, next: ArticleAction) => set({ then: rule.then.map((old, place) => (place === at ? next : old)) });
  return (
    <div>
      <EditState editing={editing} />
      <div className="flex flex-wrap gap-3">
        <TextInput
          label="Name of the rule"
          isName
          className="w-64 rounded-small border border-line-2 bg-sheet px-2 py-1 font-bold"
          value={rule.name}
          onChange={(name) => set({ name })}
        />
        <TextInput
          label="What it is for"
          placeholder="What it is for"
          className="min-w-0 flex-1 rounded-small border border-line-2 bg-sheet px-2 py-1"
          value={rule.description ?? ""}
          onChange={(description) => set({ description })}
        />
      </div>
      <p className="mt-2 text-[16px] leading-[29px]">
        <span className="text-ink-2">When </span>
        <PickMany
          label="When"
          joiner="or"
          placeholder="never"
          options={words.article_moments.map((key) => ({ key, name: MOMENTS[key] ?? key }))}
          value={rule.when}
          onChange={(when) => set({ when })}
        />
      </p>
      <p className="text-[16px] leading-[29px]">
        <span className="text-ink-2">if </span>
        <ConditionSentence fields={words.article_fields} tree={rule.if} always="always" onChange={(tree) => set({ if: tree })} />
      </p>
      <Fits tree={rule.if} />
      <div className="mt-2 flex gap-2 text-[16px]">
        <span className="leading-7 text-ink-2">then</span>
        <div className="min-w-0 flex-1">
          <ul className="flex flex-col gap-1.5">
            {rule.then.map((action, at) => (
              <li key={at} className="flex items-start gap-2">
                <span className="flex-1 leading-7">
                  {at > 0 ? <span className="text-ink-2">and </span> : null}
                  <ActionWords action={action} onChange={(next) => replace(at, next)} />
                </span>
                <OrderButtons
                  index={at}
                  count={rule.then.length}
                  name={nameOf(action)}
                  onMove={(to) => set({ then: moved(rule.then, at, to) })}
                />
                <button
                  type="button"
                  className="px-1 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
                  aria-label={`Remove: ${nameOf(action)}`}
                  onClick={() => set({ then: rule.then.filter((_, place) => place !== at) })}
                >
                  ×
                </button>
              </li>
            ))}
          </ul>
          <label className="mt-1.5 inline-flex items-center gap-2 text-ink-2">
            <span className="sr-only">Add something to do</span>
            <select
              className={smallInput}
              value=""
              onChange={(event) => {
                const kind = ACTIONS.find((one) => one.key === event.target.value);
                if (kind) set({ then: [...rule.then, { ...kind.fresh }] });
              }}
            >
              <option value="">+ do…</option>
              {ACTIONS.map((one) => (
                <option key={one.key} value={one.key}>
                  {one.name}
                </option>
              ))}
            </select>
          </label>
        </div>
      </div>
      <div className="mt-3 flex flex-wrap items-center gap-4 border-t border-line pt-2">
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={rule.is_on !== false} onChange={(event) => set({ is_on: event.target.checked })} /> on
        </label>
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={rule.stop === true} onChange={(event) => set({ stop: event.target.checked })} /> stop here: rules
          below do not run
        </label>
      </div>
    </div>
  );
}

function nameOf(action: ArticleAction): string {
  return ACTIONS.find((one) => one.key === action.do)?.name ?? action.do;
}

/** Which published articles the condition is true of now. */
function Fits({ tree }: { tree: Rule["if"] }) {
  const late = useDebounced(JSON.stringify(tree), 300);
  const { data, error } = useQuery({
    queryKey: ["articles", "rule fits", late],
    queryFn: () => ok(api.POST("/api/articles/rule-fits", { body: { if: JSON.parse(late) as never }, headers: { "Idempotency-Key": "" } })),
    retry: false,
  });
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <p className="min-h-[20px] text-[13px] text-ink-2" />;
  return (
    <p className="text-[13px] text-ink-2" role="status">
      {data.count === 0
        ? "True of no published article now."
        : `True of ${data.count === 1 ? "one published article" : `${data.count} published articles`} now: `}
      {data.articles.map((one, at) => (
        <span key={one.id}>
          {at > 0 ? ", " : ""}
          <Link className="underline" to={`/desk/articles/${one.id}`}>
            {one.title}
          </Link>
        </span>
      ))}
      {data.count > data.articles.length ? ", …" : ""}
    </p>
  );
}

function ActionWords({ action, onChange }: { action: ArticleAction; onChange: (action: ArticleAction) => void }) {
  const { words, document } = useBook();
  const set = (change: Partial<ArticleAction>) => onChange({ ...action, ...change });
  if (action.do === "notify")
    return (
      <>
        tell{" "}
        <PickMany
          label="Whom to tell"
          options={[...words.article_who, ...options(words.teams), ...words.people]}
          value={action.who ?? []}
          onChange={(who) => set({ who })}
        />{" "}
        <TextInput
          label="What they are told"
          className={`${smallInput} w-full max-w-[460px]`}
          value={action.text ?? ""}
          onChange={(text) => set({ text })}
        />
        <span className="block text-[13px] text-ink-2">
          {"{title}, {number}, {reader} and {why} stand for what they say; only who may read it is told"}
        </span>
      </>
    );
  if (action.do === "webhook")
    return (
      <>
        post it to{" "}
        <PickOne
          label="Webhook"
          options={entriesOf<{ key: string; name: string }>(document, "hooks").map(({ key, name }) => ({ key, name }))}
          value={action.hook ?? ""}
          onChange={(hook) => set({ hook })}
        />
      </>
    );
  return (
    <>
      have it reviewed within{" "}
      <input
        type="number"
        aria-label="Days until its review"
        min={1}
        max={365}
        className={`${smallInput} w-16`}
        value={action.days ?? 7}
        onChange={(event) => set({ days: Math.min(365, Math.max(1, Math.round(+event.target.value) || 1)) })}
      />{" "}
      days
    </>
  );
}
