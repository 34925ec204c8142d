/** A value as text: what is nothing is empty, and a structure is written as it is sent. */
export function asText(value: unknown): string {
  if (value === null || value === undefined) return "";
  if (typeof value === "string") return value;
  if (typeof value === "number" || typeof value === "boolean" || typeof value === "bigint") return value.toString();
  return JSON.stringify(value);
}

const NEARLY = 0.95;

/** A chance as people say it: 7 in 10. Nothing is certain. */
export function inTen(chance: number): string {
  if (chance >= NEARLY) return "more than 9 in 10";
  if (chance < 1 - NEARLY) return "less than 1 in 10";
  return `${Math.round(chance * 10)} in 10`;
}
