const WORDS: Record<string, string> = { refused: "rejected", "passed on": "forwarded", pending: "approval pending" };

/** How an approval or a stage stands, as it is said. */
export function approvalWord(state: string): string {
  return WORDS[state] ?? state;
}
