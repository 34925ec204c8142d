import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useDebounced } from "../../parts/hooks";
import { Switch } from "../../parts/ui";
import { Marked } from "./Marked";

export type Audience = components["schemas"]["AudienceShape"][];
export interface Whom {
  whom: string;
  audience: Audience;
}

interface ArticlePreviewProps extends Whom {
  number: number;
  title: string;
  body: string;
  /** Anew when a picture has come or gone. */
  pictures: number;
}

/** The article as its readers will see it, and which links not all of them can follow. */
export function ArticlePreview({ number, title, body, whom, audience, pictures }: ArticlePreviewProps) {
  const [as, setAs] = useState("chosen");
  const late = useDebounced(body, 350);
  const reads = as === "chosen" ? whom : as;
  const { data, error } = useQuery({
    queryKey: ["article", number, "preview", late, reads, reads === "some" ? audience : [], pictures],
    queryFn: () =>
      ok(
        api.POST("/api/articles/{number}/preview", {
          params: { path: { number } },
          body: { body: late, for_everybody: reads === "everybody", audience: reads === "some" ? audience : [] },
          headers: { "Idempotency-Key": "" },
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const chosen = whom === "some" ? "those it is for" : whom === "everybody" ? "everybody" : "the desk";
  const others = [
    { key: "desk", name: "the desk" },
    { key: "everybody", name: "everybody" },
  ].filter((one) => one.name !== chosen);
  return (
    <section aria-label="As it will look" className="min-w-0">
      <div className="mb-2 flex flex-wrap items-center justify-between gap-2">
        <h2 className="font-semibold text-ink-2">As it will look to</h2>
        <Switch label="As whom" value={as} choices={[{ key: "chosen", name: chosen }, ...others]} onChoose={setAs} />
      </div>
      {error ? <p className="text-rust">{sentence(error)}</p> : null}
      {data && data.lost.length > 0 ? (
        <div className="mb-2 rounded-small border border-crown bg-crown-2 px-3 py-2">
          <p className="font-semibold">Not all of these readers can follow:</p>
          <ul>
            {data.lost.map((one) => (
              <li key={one.to}>
                {one.title}: {one.why}
              </li>
            ))}
          </ul>
        </div>
      ) : null}
      {data && data.missing.length > 0 ? (
        <p className="mb-2 rounded-small border border-rust bg-rust-2 px-3 py-2">
          There is no picture called {data.missing.join(", ")}: drop it into the text.
        </p>
      ) : null}
      <div className="rounded-card border border-line bg-sheet px-5 py-4">
        <p className="mb-2 text-[22px] font-bold leading-tight">{title || "No title yet"}</p>
        {data?.html ? (
          <Marked html={data.html} />
        ) : (
          <p className="whitespace-pre-wrap text-[16px] leading-[1.5]">{late || "Nothing is written yet."}</p>
        )}
      </div>
    </section>
  );
}
