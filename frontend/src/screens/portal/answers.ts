import type { components } from "../../api/schema";

type Subject = components["schemas"]["ArticlesOfSubjectShape"];

/** The articles of which some word begins with each of those typed; case and accents do not count. */
export function narrowed(subjects: Subject[], typed: string): Subject[] {
  const words = folded(typed).split(" ").filter(Boolean);
  if (words.length === 0) return subjects;
  const fits = (text: string) => {
    const there = folded(text).split(" ");
    return words.every((word) => there.some((one) => one.startsWith(word)));
  };
  return subjects
    .map((one) => ({ ...one, articles: one.articles.filter((article) => fits(`${one.subject} ${article.title} ${article.starts}`)) }))
    .filter((one) => one.articles.length > 0);
}

function folded(text: string): string {
  return text
    .toLocaleLowerCase("en-GB")
    .normalize("NFD")
    .replace(/\p{M}/gu, "")
    .replace(/[^\p{L}\p{N}]+/gu, " ")
    .trim();
}
