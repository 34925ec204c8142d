import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { Finder } from "../../parts/Finder";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";

type Article = components["schemas"]["WholeArticleShape"];

/** Where the same is read in other languages, and whether this one still says what its original says. */
export function OtherLanguages({ article, isDesk }: { article: Article; isDesk: boolean }) {
  const original = article.translations.find((one) => one.is_original);
  const root = isDesk ? "/desk" : "";
  if (article.translations.length === 0) return null;
  return (
    <div className="mb-3 text-[14px]">
      <p>
        <span className="text-ink-2">Also in</span>{" "}
        {article.translations.map((one, place) => (
          <span key={one.id}>
            {place > 0 ? ", " : ""}
            <Link className="inline-block min-h-[24px] underline" lang={one.language} to={`${root}/articles/${one.id}`} title={one.title}>
              {one.language_name}
            </Link>
            {one.state === "published" ? "" : ` (${one.state})`}
          </span>
        ))}
      </p>
      {article.is_behind && original ? (
        <p className="mt-1 rounded-small bg-crown-2 px-2.5 py-1">
          The text in {original.language_name} was changed since this was translated.{" "}
          <Link className="underline" to={`${root}/articles/${original.id}`}>
            Read it
          </Link>
        </p>
      ) : null}
    </div>
  );
}

export function useArticleChoices() {
  return useQuery({ queryKey: ["article audiences"], queryFn: () => ok(api.GET("/api/articles/audiences")), staleTime: 300_000 }).data;
}

/** Begins a translation, or says which article is one already; a translation becomes an article of its own. */
export function TranslateDialog({ article, onClose }: { article: Article; onClose: () => void }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const languages = useArticleChoices()?.languages ?? [];
  const taken = [article.language, ...article.translations.map((one) => one.language)];
  const [language, setLanguage] = useState("");
  const [words, setWords] = useState("");
  const [isBusy, setBusy] = useState(false);
  const [problem, setProblem] = useState<unknown>(null);
  const fields = problem instanceof Problem ? problem.fields : {};
  const path = { params: { path: { number: article.id } } };
  const attempt = async (does: () => Promise<unknown>) => {
    if (isBusy) return;
    setBusy(true);
    setProblem(null);
    try {
      await does();
      await queries.invalidateQueries({ queryKey: ["article"] });
      onClose();
    } catch (error) {
      setProblem(error);
    } finally {
      setBusy(false);
    }
  };
  const begin = () =>
    attempt(async () => {
      const made = await ok(api.POST("/api/articles/{number}/translations", { ...path, body: { language, other: null } }));
      void navigate(`/desk/articles/${made.id}?write`);
    });
  const link = (other: number) =>
    attempt(async () => {
      await ok(api.POST("/api/articles/{number}/translations", { ...path, body: { language: "", other } }));
      toast(`Article ${other} is this one in another language.`);
    });
  const part = () =>
    attempt(async () => {
      await ok(api.DELETE("/api/articles/{number}/translations", path));
      toast("It is an article of its own.");
    });
  return (
    <Dialog title="Other languages" isOpen onClose={onClose}>
      <form
        className="flex items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          void begin();
        }}
      >
        <div className="min-w-0 flex-1">
          <Field label="Translate it into" error={fields.language}>
            {(field) => (
              <select {...field} autoFocus className={inputClass} value={language} onChange={(event) => setLanguage(event.target.value)}>
                <option value="">choose a language</option>
                {languages
                  .filter((one) => !taken.includes(one.key))
                  .map((one) => (
                    <option key={one.key} value={one.key} lang={one.key}>
                      {one.name}
                    </option>
                  ))}
              </select>
            )}
          </Field>
        </div>
        <Button type="submit" tone="sea" disabled={isBusy || language === ""}>
          Begin
        </Button>
      </form>
      <div className="mt-4">
        <Field label="Or choose an article that is its translation already" error={fields.other}>
          {(field) => (
            <Finder
              props={field}
              what="articles"
              hint="Part of its title"
              find={async (typed) => {
                const found = await ok(api.GET("/api/articles", { params: { query: { q: typed } } }));
                return found
                  .filter((one) => one.language !== article.language && one.id !== article.id)
                  .map((one) => ({ id: one.id, name: one.title, note: one.language_name }));
              }}
              nothing="No article in another language is called that."
              name={words}
              onName={setWords}
              onPick={(found) => void link(found.id)}
            />
          )}
        </Field>
      </div>
      {article.is_translation ? (
        <p className="mt-4">
          <button type="button" className="min-h-[24px] underline" disabled={isBusy} onClick={() => void part()}>
            It is no translation: an article of its own
          </button>
        </p>
      ) : null}
      {problem && !fields.language && !fields.other ? <ErrorNote>{sentence(problem)}</ErrorNote> : null}
    </Dialog>
  );
}
