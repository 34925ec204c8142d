/** What an article is called until somebody has said it. */
export const UNNAMED = "A new article";
