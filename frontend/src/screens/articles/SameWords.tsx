import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import type { components } from "../../api/schema";
import { api, ok, sentence } from "../../api/client";
import { Button, inputClass } from "../../parts/ui";
import { useSession } from "../../shell/session";

type Suggested = components["schemas"]["SuggestedSameShape"];

/** Words that mean the same on this desk: who searches for one finds what says the other. */
export function SameWords({ suggested }: { suggested: Suggested[] }) {
  const queries = useQueryClient();
  const { me } = useSession();
  const [text, setText] = useState("");
  const { data } = useQuery({ queryKey: ["same words"], queryFn: () => ok(api.GET("/api/articles/same-words")) });
  const mayEdit = me?.roles.some((role) => ["knowledge editor", "administrator", "team lead"].includes(role)) ?? false;
  const attempt = async (does: () => Promise<unknown>) => {
    try {
      await does();
      await queries.invalidateQueries({ queryKey: ["same words"] });
      await queries.invalidateQueries({ queryKey: ["articles"] });
    } catch (problem) {
      toast.error(sentence(problem));
    }
  };
  const add = () =>
    attempt(async () => {
      const words = text
        .split(/[,=]/u)
        .map((one) => one.trim())
        .filter(Boolean);
      await ok(api.POST("/api/articles/same-words", { body: { words } }));
      setText("");
    });
  const accept = ({ said, meant }: Suggested) =>
    attempt(async () => {
      await ok(api.POST("/api/articles/same-words", { body: { words: [said, meant] } }));
      toast(`Who searches for “${said}” finds “${meant}” from now on.`);
    });
  if (!data || (!mayEdit && data.length === 0)) return null;
  return (
    <section aria-label="Words that mean the same" className="mt-3 rounded-card border border-line bg-sheet px-3.5 py-2">
      <h2 className="font-bold">
        Words that mean the same <span className="text-[13px] font-normal text-ink-2">who searches for one finds the others</span>
      </h2>
      <ul className="flex flex-wrap gap-2 py-1">
        {data.map((row) => (
          <li key={row.id} className="rounded-full border border-line-2 px-2.5 py-0.5 text-[13px]">
            {row.words.join(" = ")}
            {mayEdit ? (
              <button
                type="button"
                className="ml-1.5 min-h-[24px] min-w-[24px]"
                aria-label={`Remove ${row.words.join(", ")}`}
                onClick={() =>
                  void attempt(() => ok(api.DELETE("/api/articles/same-words/{number}", { params: { path: { number: row.id } } })))
                }
              >
                ×
              </button>
            ) : null}
          </li>
        ))}
      </ul>
      {mayEdit && suggested.length > 0 ? (
        <ul aria-label="Searched again in other words" className="pb-1.5">
          {suggested.map((one) => (
            <li key={`${one.said} ${one.meant}`} className="flex flex-wrap items-baseline gap-x-2 text-[14px]">
              <span className="text-ink-2">
                {one.people} people did not find “{one.said}”, and found <b className="text-ink">{one.meant}</b>
              </span>
              <button type="button" className="min-h-[24px] underline" onClick={() => void accept(one)}>
                they mean the same
              </button>
            </li>
          ))}
        </ul>
      ) : null}
      {mayEdit ? (
        <form
          className="flex max-w-[460px] gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            void add();
          }}
        >
          <input
            aria-label="Words that mean the same, with commas"
            placeholder="till, register, checkout"
            className={inputClass}
            value={text}
            onChange={(event) => setText(event.target.value)}
          />
          <Button type="submit" disabled={!/[,=]/u.test(text)}>
            Add
          </Button>
        </form>
      ) : null}
    </section>
  );
}
