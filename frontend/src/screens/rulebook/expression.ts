/** Writing expressions: what is put in where one stands, and where one went wrong. */

/** Signs and functions of expressions, with where the writing goes on inside each. */
export const SIGNS = ["+", "−", "×", "÷", "=", "≠", "<", "≤", ">", "≥"] as const;
export const FUNCTIONS = ["if empty", "days between", "hours between", "service hours between"] as const;

/** A field as an expression names it: a word stands alone, others need brackets. */
export function fieldText(name: string): string {
  return /^[a-z][a-z0-9_]*(\.[a-z0-9_]+)*$/.test(name) && !["yes", "no", "now"].includes(name) ? name : `[${name}]`;
}

/** A text with something put between two places of it, and where the cursor stands after that. */
export function inserted(text: string, from: number, to: number, piece: string): { text: string; at: number } {
  const before = text.slice(0, from);
  const after = text.slice(to);
  const left = before && !/[\s([]$/.test(before) ? " " : "";
  const right = after && !/^[\s,)]/.test(after) ? " " : "";
  const open = piece.indexOf("(");
  const at = before.length + left.length + (open < 0 ? piece.length : open + 1);
  return { text: `${before}${left}${piece}${right}${after}`, at };
}

/** A function with places for its parts. */
export function functionText(name: string): string {
  return `${name}(, )`;
}

/** An expression cut where it went wrong: what is before, what is wrong, what is after. */
export function cutAt(text: string, at: number): [string, string, string] {
  const from = Math.max(0, at - 1);
  const piece = /^(\[[^\]]*\]?|"[^"]*"?|[\p{L}\p{N}_.]+|\S)/u.exec(text.slice(from))?.[0] ?? "";
  return [text.slice(0, from), piece, text.slice(from + piece.length)];
}

export const needsCalendar = (text: string): boolean => /service\s+hours\s+between/.test(text);
