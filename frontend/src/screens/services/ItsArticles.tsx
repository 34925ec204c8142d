import { ArticlesAbout, useArticlesAbout } from "../../parts/ArticlesAbout";
import { Box } from "./parts";

/** What has been written about an item or a service. */
export function ItsArticles({ what, number, words }: { what: "item" | "service"; number: number; words: string }) {
  const about = useArticlesAbout(what, number);
  if (!about) return null;
  return (
    <Box title="Articles" note={String(about.linking.length + about.fitting_count)}>
      <ArticlesAbout about={about} all={`/desk/articles?q=${encodeURIComponent(words)}`} />
    </Box>
  );
}
