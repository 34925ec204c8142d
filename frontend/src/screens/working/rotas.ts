import type { components } from "../../api/schema";

type Turn = components["schemas"]["TurnShape"];

/** Who is on call in a turn, or why nobody is. */
export function turnWords(turn: Turn): string {
  if (turn.why === "instead") return `${turn.person}, standing in`;
  if (turn.person) return turn.person;
  if (turn.why === "away") return `${turn.whose} is away`;
  return turn.why === "not begun" ? "the rota has not begun" : "nobody is in the rota";
}

/** The turns that nobody has, once the rota has begun. */
export function gapsOf(turns: Turn[]): Turn[] {
  return turns.filter((turn) => !turn.person && turn.why !== "not begun");
}

/** How much of all turns one takes, in percent. */
export function widthOf(turn: Turn, turns: Turn[]): number {
  const [first] = turns;
  const last = turns.at(-1);
  if (!first || !last || last.to_s <= first.from_s) return 0;
  return ((turn.to_s - turn.from_s) / (last.to_s - first.from_s)) * 100;
}
