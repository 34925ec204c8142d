import { asText } from "../text";
import type { FieldAbout } from "../../api/client";
import { isComplete, type Leaf } from "./tree";

/**
 * A condition's leaf as English; the core says the same (`gannet_core/sentences.py`), and
 * one table of cases holds both. How it reads follows from operator and type; a field may
 * bring words of its own.
 */
export type FieldWords = Pick<FieldAbout, "label" | "type"> & { said?: Record<string, unknown> };

const COMPARED: Record<string, string> = {
  is: "is",
  "is not": "is not",
  "<": "is under",
  "<=": "is at most",
  ">": "is over",
  ">=": "is at least",
  before: "is before",
  after: "is after",
  "changed to": "changed to",
  "changed from": "changed from",
};
const QUOTED: Record<string, string> = {
  contains: "contains",
  "has words": "has the words",
  "starts with": "starts with",
  resembles: "is much like",
};
const OF_SEVERAL: Record<string, string> = {
  is: "include",
  "is not": "do not include",
  "is one of": "include",
  "is none of": "do not include",
  "is empty": "are empty",
  "is filled": "are filled",
};
const UNITS: [number, string][] = [
  [31_536_000, "year"],
  [86_400, "day"],
  [3600, "hour"],
  [60, "minute"],
  [1, "second"],
];

/** `momentWords` says an instant as its reader reads it. */
export function leafSentence(leaf: Leaf, field: FieldWords | undefined, momentWords: (value: unknown) => string = String): string {
  const label = field?.label ?? leaf.field;
  const said = field?.said ?? {};
  const own = (key: string) => (typeof said[key] === "string" ? said[key] : undefined);
  const { op, value } = leaf;
  if (op === "is empty" || op === "is filled") {
    const whether =
      field?.type === "several choices" ? `${label} ${OF_SEVERAL[op] ?? op}` : `${label} is ${op === "is empty" ? "not set" : "set"}`;
    return own(op === "is empty" ? "empty" : "filled") ?? whether;
  }
  if (op === "is me") return `${label} is me`;
  if (op === "is my team") return `${label} is one of my teams`;
  if (op === "changed") return `${label} changed`;
  if (!isComplete(leaf)) return `${label} …`;
  if (typeof value === "boolean") return yesOrNo(label, op, value, own("yes"), own("no"));
  const lead = own("lead") ?? label;
  if (op === "in the last" || op === "in the next") return `${lead} ${op} ${spanWords(Number(value))}`;
  const isMoment = op === "before" || op === "after";
  if (isMoment && field?.type === "instant") return `${lead} ${op} ${momentWords(value)}`;
  const values = (Array.isArray(value) ? value : [value]).map(wordOf);
  if (["is", "is one of", "is not", "is none of"].includes(op)) {
    const words = values.map((one) => (said.values as Record<string, string> | undefined)?.[one]);
    if (words.every(Boolean)) return `${op === "is not" || op === "is none of" ? "not " : ""}${joinOr(words as string[])}`;
  }
  if (field?.type === "several choices" && OF_SEVERAL[op]) return `${label} ${OF_SEVERAL[op]} ${joinOr(values)}`;
  if (op === "is one of" || op === "is none of") return `${label} ${op === "is one of" ? "is" : "is not"} ${joinOr(values)}`;
  if (op === "between") return `${label} is between ${values[0] ?? "nothing"} and ${values[1] ?? "nothing"}`;
  if (QUOTED[op]) return `${label} ${QUOTED[op]} “${values[0] ?? ""}”`;
  return `${label} ${COMPARED[op] ?? op} ${isMoment ? momentWords(value) : (values[0] ?? "nothing")}`;
}

function yesOrNo(label: string, op: string, value: boolean, ownYes: string | undefined, ownNo: string | undefined): string {
  const bare = label.replace(/^is /, "");
  const yes = ownYes ?? bare;
  const no = ownNo ?? `not ${bare}`;
  if (op === "changed to") return `became ${value ? yes : no}`;
  if (op === "changed from") return `was ${value ? yes : no} before`;
  return value === (op !== "is not") ? yes : no;
}

function wordOf(item: unknown): string {
  if (typeof item === "boolean") return item ? "yes" : "no";
  return item === null || item === undefined || item === "" ? "nothing" : asText(item);
}

function joinOr(words: string[]): string {
  return words.length > 1 ? `${words.slice(0, -1).join(", ")} or ${words.at(-1) ?? ""}` : (words[0] ?? "nothing");
}

/** “hour”, “4 hours”: what stands after “in the last”. */
export function spanWords(seconds: number): string {
  for (const [size, unit] of UNITS) {
    if (seconds >= size && seconds % size === 0) return seconds === size ? unit : `${seconds / size} ${unit}s`;
  }
  return `${seconds} seconds`;
}

/** How an operator is offered in the editor of a leaf. */
export function operatorWords(op: string, type: string): string {
  if (op === "is empty") return type === "person" ? "is nobody" : "is not set";
  if (op === "is filled") return type === "person" ? "is somebody" : "is set";
  if (type === "several choices" && OF_SEVERAL[op]) return OF_SEVERAL[op];
  if (op === "is my team") return "is one of my teams";
  if (op === "changed") return "has changed";
  if (op === "changed to") return "has changed to";
  if (op === "changed from") return "has changed from";
  return QUOTED[op] ?? (type === "instant" ? undefined : COMPARED[op]) ?? op;
}

/** Whether a field is meant by what somebody types: its label, or what else it is called. */
export function isMeant(field: Pick<FieldAbout, "label" | "synonyms">, typed: string): boolean {
  const sought = typed.trim().toLowerCase();
  return [field.label, ...field.synonyms].some((word) => word.toLowerCase().includes(sought));
}
