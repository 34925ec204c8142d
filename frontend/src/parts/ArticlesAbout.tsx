import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ok } from "../api/client";
import type { components } from "../api/schema";

type About = components["schemas"]["ArticlesAboutShape"];

export function useArticlesAbout(what: "item" | "service", number: number): About | undefined {
  return useQuery({
    queryKey: ["articles", "about", what, number],
    queryFn: () => ok(api.GET("/api/articles/about", { params: { query: { what, number } } })),
    staleTime: 60_000,
  }).data;
}

/** The articles that link to something, then those that fit it. */
export function ArticlesAbout({ about, all }: { about: About; all?: string }) {
  if (about.linking.length + about.fitting.length === 0) return <p className="text-ink-2">No article is about it.</p>;
  const more = about.fitting_count - about.fitting.length;
  return (
    <ul>
      {[...about.linking.map((one) => ({ ...one, note: "links here" })), ...about.fitting.map((one) => ({ ...one, note: "" }))].map(
        (one) => (
          <li key={one.id} className="py-0.5">
            <Link to={`/desk/articles/${one.id}`} className="hover:underline">
              <span className="font-mono text-[13px]">{one.id}</span> {one.title}
            </Link>{" "}
            <span className="text-[13px] text-ink-2">
              {[one.note, one.state === "published" ? "" : one.state].filter(Boolean).join(", ")}
            </span>
          </li>
        ),
      )}
      {more > 0 && all ? (
        <li className="py-0.5">
          <Link to={all} className="underline">
            {more} more
          </Link>
        </li>
      ) : null}
    </ul>
  );
}
