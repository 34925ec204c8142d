import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useId, useRef, useState } from "react";
import { toast } from "sonner";
import { api, ok, Problem, sentence, uploadTo } from "../../api/client";
import type { components } from "../../api/schema";
import { useChoices } from "../../parts/choices";
import { useDraft } from "../../parts/hooks";
import { Button, ErrorNote, Field, inputClass, Switch } from "../../parts/ui";
import { ArticleAudience } from "./ArticleAudience";
import { useArticleChoices } from "./Translations";
import { UNNAMED } from "./unnamed";
import { ArticlePictures } from "./ArticlePictures";
import { ArticlePreview, type Audience } from "./ArticlePreview";
import { MarkdownField, type MarkdownHandle } from "./MarkdownField";
import { type Chosen, type Edit, picture, shownBy } from "./markdownEdits";
import { TextTools } from "./TextTools";

type Article = components["schemas"]["WholeArticleShape"];
type Picture = components["schemas"]["PictureShape"];

const KINDS = ["how to", "fault and cure", "question", "known error"] as const;

function isText(value: unknown): value is { title: string; body: string; version: number } {
  return typeof value === "object" && value !== null && "body" in value && "version" in value;
}

/** Writes the next version of an article; a text that somebody else saved meanwhile is shown, not lost. */
export function ArticleEditor({ article, onDone }: { article: Article; onDone: () => void }) {
  const queries = useQueryClient();
  const choices = useChoices();
  const offered = useArticleChoices();
  const languages = offered?.languages ?? [{ key: article.language, name: article.language_name }];
  const outlines = offered?.outlines;
  const draft = useDraft(`article-${article.id}`, { title: article.draft_title, body: article.draft_body });
  const [service, setService] = useState(article.service_id);
  const [category, setCategory] = useState(article.category);
  const [kind, setKind] = useState(article.kind);
  const [language, setLanguage] = useState(article.language);
  const [note, setNote] = useState("");
  const [whom, setWhom] = useState(article.is_for_some ? "some" : article.for_everybody ? "everybody" : "desk");
  const [audience, setAudience] = useState<Audience>(article.audience);
  const [base, setBase] = useState(article.newest);
  const [theirs, setTheirs] = useState<{ title: string; body: string; version: number } | null>(null);
  const [error, setError] = useState<Problem | null>(null);
  const [isBusy, setBusy] = useState(false);
  const [pictures, setPictures] = useState(0);
  const [isComing, setComing] = useState(false);
  const [shows, setShows] = useState<"text" | "preview">("text");
  const field = useRef<MarkdownHandle>(null);
  const textId = useId();
  const others = useOtherWriters(article.id);
  const does = (edit: (chosen: Chosen) => Edit) => {
    setShows("text");
    field.current?.edit(edit);
  };
  const anew = () => {
    setPictures((count) => count + 1);
    void queries.invalidateQueries({ queryKey: ["article", article.id, "pictures"] });
  };
  const addPictures = async (files: File[]) => {
    setComing(true);
    for (const file of files) {
      try {
        const kept = await uploadTo<Picture>(`/api/articles/${article.id}/pictures`, file);
        does((chosen) => picture(chosen, kept.name, shownBy(file.name)));
      } catch (problem) {
        toast.error(sentence(problem));
      }
    }
    setComing(false);
    anew();
  };
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
        language,
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
  return (
    <form
      className="mx-auto flex max-w-[1320px] flex-col gap-3 px-5 py-5"
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
            onFocus={(event) => (draft.body.title === UNNAMED ? event.target.select() : undefined)}
            onChange={(event) => draft.set({ title: event.target.value })}
          />
        )}
      </Field>
      {draft.body.body.trim() === "" && outlines ? (
        <p className="flex flex-wrap items-center gap-2 text-[13px] text-ink-2">
          Begin with the outline of
          {KINDS.map((one) => (
            <Button
              key={one}
              onClick={() => {
                setKind(one);
                draft.set({ body: outlines[one] ?? "" });
              }}
            >
              a {one}
            </Button>
          ))}
        </p>
      ) : null}
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
      {others.length > 0 ? (
        <p role="status" className="rounded-small border border-crown bg-crown-2 px-3 py-2">
          <b>{others.map((one) => one.name).join(", ")}</b> {others.length > 1 ? "are" : "is"} writing here too. Whoever saves last is shown
          what the other saved.
        </p>
      ) : null}
      <div className="min-[1100px]:hidden">
        <Switch
          label="Write or look"
          value={shows}
          choices={[
            { key: "text", name: "Text" },
            { key: "preview", name: "As it will look" },
          ]}
          onChoose={(key) => setShows(key === "preview" ? "preview" : "text")}
        />
      </div>
      <div className="grid grid-cols-2 gap-6 max-[1100px]:grid-cols-1">
        <div className={`flex min-w-0 flex-col gap-2 ${shows === "preview" ? "max-[1100px]:hidden" : ""}`}>
          <TextTools does={does} onFiles={(files) => void addPictures(files)} />
          <MarkdownField
            ref={field}
            id={textId}
            label="Text"
            value={draft.body.body}
            isWrong={Boolean(error?.fields.body)}
            describedBy={error?.fields.body ? `${textId}-wrong` : undefined}
            onChange={(body) => draft.set({ body })}
            onFiles={(files) => void addPictures(files)}
          />
          {error?.fields.body ? (
            <p id={`${textId}-wrong`} role="alert" className="text-rust">
              {error.fields.body}
            </p>
          ) : null}
          <p role="status" className="text-[13px] text-ink-2">
            {isComing
              ? "A picture is coming…"
              : draft.body.body.length > 50_000
                ? `${draft.body.body.length.toLocaleString("en-GB")} of 60,000 characters`
                : ""}
          </p>
          <ArticlePictures number={article.id} body={draft.body.body} does={does} onGone={anew} />
        </div>
        <div className={shows === "text" ? "max-[1100px]:hidden" : ""}>
          <ArticlePreview
            number={article.id}
            title={draft.body.title}
            body={draft.body.body}
            whom={whom}
            audience={audience}
            pictures={pictures}
          />
        </div>
      </div>
      <div className="grid grid-cols-4 gap-3 max-[700px]:grid-cols-1">
        <Field label="Language" error={error?.fields.language}>
          {(props) => (
            <select {...props} className={inputClass} value={language} onChange={(event) => setLanguage(event.target.value)}>
              {languages.map((one) => (
                <option key={one.key} value={one.key} lang={one.key}>
                  {one.name}
                </option>
              ))}
            </select>
          )}
        </Field>
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
      <ArticleAudience whom={whom} audience={audience} error={error?.fields.audience} onWhom={setWhom} onAudience={setAudience} />
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

/** Says every few seconds that I write this, and who else does. */
function useOtherWriters(number: number): { name: string }[] {
  const { data } = useQuery({
    queryKey: ["article", number, "writers"],
    queryFn: () => ok(api.POST("/api/articles/{number}/writers", { params: { path: { number } }, headers: { "Idempotency-Key": "" } })),
    refetchInterval: 8_000,
    retry: false,
  });
  useEffect(
    () => () => {
      void ok(api.DELETE("/api/articles/{number}/writers", { params: { path: { number } } })).catch(() => undefined);
    },
    [number],
  );
  return data ?? [];
}
