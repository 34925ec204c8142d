import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { Button, inputClass } from "../../parts/ui";

type Article = components["schemas"]["WholeArticleShape"];

/** Whether it helped; where it did not, why. The last word of a reader counts. */
export function ArticleVote({ article }: { article: Article }) {
  const queries = useQueryClient();
  const mine = article.my_vote;
  const [isAsking, setAsking] = useState(false);
  const [why, setWhy] = useState(mine?.why ?? "");
  const [isBusy, setBusy] = useState(false);
  const say = async (helped: boolean, words: string) => {
    if (isBusy) return;
    setBusy(true);
    try {
      const path = { number: article.id };
      const kept = await ok(api.PUT("/api/articles/{number}/vote", { params: { path }, body: { helped, why: words } }));
      queries.setQueryData(["article", article.id], kept);
      void queries.invalidateQueries({ queryKey: ["article", article.id, "life"] });
      setAsking(!helped && words === "");
      if (helped || words !== "") toast(helped ? "Good to know." : "Thank you: who looks after it hears of it.");
    } catch (problem) {
      toast.error(sentence(problem));
    } finally {
      setBusy(false);
    }
  };
  return (
    <section aria-label="Did it help?" className="no-print mt-6 border-t border-line pt-3">
      <p className="flex flex-wrap items-center gap-2">
        <b>Did it help?</b>
        <Button
          disabled={isBusy}
          aria-pressed={mine?.helped === true}
          tone={mine?.helped ? "sea" : "plain"}
          onClick={() => void say(true, "")}
        >
          Yes
        </Button>
        <Button
          disabled={isBusy}
          aria-pressed={mine?.helped === false}
          tone={mine && !mine.helped ? "sea" : "plain"}
          onClick={() => void say(false, "")}
        >
          No
        </Button>
      </p>
      {isAsking || (mine && !mine.helped && mine.why === "") ? (
        <form
          className="mt-2 flex max-w-[560px] gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            void say(false, why);
          }}
        >
          <input
            aria-label="What was missing or wrong?"
            placeholder="What was missing or wrong?"
            maxLength={500}
            className={inputClass}
            value={why}
            onChange={(event) => setWhy(event.target.value)}
          />
          <Button type="submit" disabled={isBusy || why.trim() === ""}>
            Say so
          </Button>
        </form>
      ) : null}
      {mine && !mine.helped && mine.why ? <p className="mt-1 text-ink-2">You wrote: {mine.why}</p> : null}
      {mine?.answer ? <p className="mt-1 border-l-2 border-line-2 pl-2">{mine.answer}</p> : null}
    </section>
  );
}
