import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useChoices } from "../../parts/choices";
import { useDraft } from "../../parts/hooks";
import { Button, ErrorNote, Field, inputClass } from "../../parts/ui";

type Article = components["schemas"]["WholeArticleShape"];
type Audience = components["schemas"]["AudienceShape"][];

const KINDS = ["how to", "fault and cure", "question", "known error"] as const;
const ROLES = ["requester", "agent", "team lead", "manager", "administrator"];

function isText(value: unknown): value is { title: string; body: string; version: number } {
  return typeof value === "object" && value !== null && "body" in value && "version" in value;
}

/** Writes the next version of an article; a text that somebody else saved meanwhile is shown, not lost. */
export function ArticleEditor({ article, onDone }: { article: Article; onDone: () => void }) {
  const queries = useQueryClient();
  const choices = useChoices();
  const draft = useDraft(`article-${article.id}`, { title: article.draft_title, body: article.draft_body });
  const [service, setService] = useState(article.service_id);
  const [category, setCategory] = useState(article.category);
  const [kind, setKind] = useState(article.kind);
  const [note, setNote] = useState("");
  const [whom, setWhom] = useState(article.is_for_some ? "some" : article.for_everybody ? "everybody" : "desk");
  const [audience, setAudience] = useState<Audience>(article.audience);
  const [base, setBase] = useState(article.newest);
  const [theirs, setTheirs] = useState<{ title: string; body: string; version: number } | null>(null);
  const [error, setError] = useState<Problem | null>(null);
  const [isBusy, setBusy] = useState(false);
  const save = async () => {
    if (isBusy) return;
    setBusy(true);
    setError(null);
    try {
      const body = {
        title: draft.body.title,
        body: draft.body.body,
        service,
        category,
        kind: kind as (typeof KINDS)[number],
        for_everybody: whom === "everybody",
        base,
        note,
        ...(whom === "some" ? { audience } : {}),
      };
      const kept = await ok(api.PUT("/api/articles/{number}", { params: { path: { number: article.id } }, body }));
      queries.setQueryData(["article", article.id], kept);
      void queries.invalidateQueries({ queryKey: ["article", article.id, "life"] });
      draft.clear();
      toast(kept.newest > kept.version ? `Version ${kept.newest} is saved; readers see ${kept.version} until you publish it.` : "Saved.");
      onDone();
    } catch (problem) {
      const found = problem instanceof Problem ? problem : null;
      const current = found?.status === 409 ? found.body.current : null;
      if (isText(current)) setTheirs(current);
      setError(found);
      if (!found) toast.error(sentence(problem));
    } finally {
      setBusy(false);
    }
  };
  const names = (which: Audience[number]["kind"]) => audience.filter((one) => one.kind === which).map((one) => one.name);
  const setNames = (which: Audience[number]["kind"], text: string) =>
    setAudience([
      ...audience.filter((one) => one.kind !== which),
      ...text
        .split(",")
        .map((one) => one.trim())
        .filter(Boolean)
        .map((name) => ({ kind: which, name })),
    ]);
  return (
    <form
      className="mx-auto flex max-w-[820px] flex-col gap-3 px-5 py-5"
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
      {theirs ? (
        <section aria-label="What was saved meanwhile" className="rounded-small border border-crown bg-crown-2 px-3 py-2">
          <p>
            <b>{error?.message}</b> Yours stands below; theirs:
          </p>
          <pre className="mt-1 max-h-[220px] overflow-auto whitespace-pre-wrap rounded-small bg-sheet p-2 text-[13px]" tabIndex={0}>
            {theirs.body}
          </pre>
          <p className="mt-2 flex gap-2">
            <Button
              onClick={() => {
                setBase(theirs.version);
                setTheirs(null);
                setError(null);
              }}
            >
              Write mine over it
            </Button>
            <Button
              onClick={() => {
                draft.set({ title: theirs.title, body: theirs.body });
                setBase(theirs.version);
                setTheirs(null);
                setError(null);
              }}
            >
              Go on from theirs
            </Button>
          </p>
        </section>
      ) : null}
      <Field
        label="Text"
        error={error?.fields.body}
        help="Markdown: ## heads, * lists, 1. steps, | tables |, **bold**, [links](/articles/9001), ![what it shows](address)."
      >
        {(props) => (
          <textarea
            {...props}
            rows={18}
            className={`${inputClass} font-mono text-[14px]`}
            value={draft.body.body}
            onChange={(event) => draft.set({ body: event.target.value })}
          />
        )}
      </Field>
      <div className="grid grid-cols-3 gap-3 max-[700px]:grid-cols-1">
        <Field label="Kind">
          {(props) => (
            <select {...props} className={inputClass} value={kind} onChange={(event) => setKind(event.target.value)}>
              {KINDS.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
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
        <Field label="Category">
          {(props) => (
            <select {...props} className={inputClass} value={category} onChange={(event) => setCategory(event.target.value)}>
              <option value="">no category</option>
              {choices?.categories.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          )}
        </Field>
      </div>
      <fieldset>
        <legend className="font-semibold">Who may read it</legend>
        <div className="flex flex-wrap gap-4">
          {[
            ["desk", "the desk"],
            ["everybody", "everybody"],
            ["some", "some"],
          ].map(([key, name]) => (
            <label key={key} className="flex min-h-[24px] items-center gap-1.5">
              <input type="radio" name="whom" checked={whom === key} onChange={() => setWhom(key ?? "desk")} />
              {name}
            </label>
          ))}
        </div>
        {whom === "some" ? (
          <div className="mt-2 grid grid-cols-3 gap-3 max-[700px]:grid-cols-1">
            {(["department", "place", "role"] as const).map((which) => (
              <Field
                key={which}
                label={which === "department" ? "Departments" : which === "place" ? "Places" : "Roles"}
                error={error?.fields.audience}
                help={which === "role" ? ROLES.join(", ") : "With commas between them."}
              >
                {(props) => (
                  <input
                    {...props}
                    list={which === "place" ? "audience-places" : undefined}
                    className={inputClass}
                    defaultValue={names(which).join(", ")}
                    onChange={(event) => setNames(which, event.target.value)}
                  />
                )}
              </Field>
            ))}
            <datalist id="audience-places">
              {choices?.places.map((one) => (
                <option key={one} value={one} />
              ))}
            </datalist>
          </div>
        ) : null}
      </fieldset>
      <Field label="What you changed, for those who look at the versions">
        {(props) => (
          <input {...props} maxLength={200} className={inputClass} value={note} onChange={(event) => setNote(event.target.value)} />
        )}
      </Field>
      {error && !theirs && Object.keys(error.fields).length === 0 ? <ErrorNote>{error.message}</ErrorNote> : null}
      <div className="flex gap-2">
        <Button type="submit" tone="sea" disabled={isBusy || theirs !== null}>
          Save
        </Button>
        <Button onClick={onDone}>Cancel</Button>
      </div>
    </form>
  );
}
