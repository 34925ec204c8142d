import { useQueryClient } from "@tanstack/react-query";
import { api, ok, type Ticket } from "../../api/client";
import type { Suggest } from "../../parts/Suggestions";

/** What "/" and "#" offer while writing on a ticket. */
export function useSuggest(ticket: Ticket): Suggest {
  const queries = useQueryClient();
  const number = ticket.id;
  return async (sign, words) => {
    if (sign === "/") {
      const phrases = await queries.fetchQuery({
        queryKey: ["phrases", number],
        queryFn: () => ok(api.GET("/api/tickets/{number}/phrases", { params: { path: { number } } })),
        staleTime: 60_000,
      });
      return phrases
        .filter((phrase) => phrase.name.toLowerCase().includes(words.toLowerCase()))
        .slice(0, 9)
        .map((phrase) => ({
          key: `p${phrase.id}`,
          label: phrase.name,
          note: `${phrase.whose} · ${phrase.text.slice(0, 90)}`,
          text: phrase.text,
        }));
    }
    if (words.trim().length < 2) return [];
    const found = await ok(api.GET("/api/find", { params: { query: { q: words.trim() } } }));
    return [
      ...found.articles.map((article) => ({
        key: `a${article.id}`,
        label: `article ${article.id} ${article.title}`,
        note: article.for_everybody && article.state === "published" ? "anybody may read it" : "desk only: its number is put in, no link",
        text:
          article.for_everybody && article.state === "published"
            ? `${article.title} (${window.location.origin}/articles/${article.id})`
            : `article ${article.id}`,
      })),
      ...found.tickets
        .slice(0, 6)
        .map((row) => ({ key: `t${row.id}`, label: `${row.kind} ${row.id} ${row.title}`, note: row.state, text: `${row.kind} ${row.id}` })),
    ];
  };
}
