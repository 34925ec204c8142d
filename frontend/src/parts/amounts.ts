interface Bounds {
  isMoney: boolean;
  least?: number | undefined;
  most?: number | undefined;
}

/** What stands between whole and part where the reader writes numbers. */
export function readersPoint(language: string = typeof navigator === "undefined" ? "en-GB" : navigator.language): "." | "," {
  const part = new Intl.NumberFormat(language).formatToParts(1.5).find((one) => one.type === "decimal")?.value;
  return part === "," ? "," : ".";
}

/**
 * A number as somebody typed it, null for nothing, or why it cannot be read. A comma or a
 * point is read by where it stands (“1.234,50”, “210,50”); where that leaves it open (“1,234”)
 * the reader's language decides.
 */
export function readAmount(typed: string, { isMoney, least, most }: Bounds, point: "." | "," = readersPoint()): number | null | string {
  const text = typed.replace(/[\s\u00a0'’]/g, "").replace(/^[£€$]/, "");
  if (text === "") return null;
  const example = isMoney ? `210${point}50` : "12";
  if (!/^[-−]?\d[\d.,]*$/.test(text)) return `“${typed.trim()}” is no ${isMoney ? "amount" : "number"}. Write it like ${example}.`;
  const negative = /^[-−]/.test(text);
  const digits = text.replace(/^[-−]/, "");
  const mark = decimalMark(digits, point);
  const grouping = mark === "," ? "." : ",";
  const [whole = "", part = "", ...more] = mark ? digits.split(mark) : [digits];
  const groups = whole.split(/[.,]/);
  const isGrouped = groups.length === 1 || groups.slice(1).every((one) => one.length === 3);
  if (more.length > 0 || part.includes(grouping) || !isGrouped)
    return `“${typed.trim()}” can be read in two ways. Write it like ${example}.`;
  if (isMoney && part.length > 2) return `At most two places: like ${example}.`;
  const value = Number(`${groups.join("")}.${part || "0"}`) * (negative ? -1 : 1);
  const lowest = least ?? (isMoney ? 0 : undefined);
  if (lowest !== undefined && value < lowest) return isMoney && lowest === 0 ? "A cost is not negative." : `At least ${lowest}.`;
  if (most !== undefined && value > most) return `At most ${most}.`;
  if (!Number.isFinite(value) || Math.abs(value) > 1e11) return "That is too much.";
  return value;
}

/** Which mark stands before the parts of a whole; nothing where there is none. */
function decimalMark(digits: string, point: "." | ","): "." | "," | "" {
  const marks = digits.match(/[.,]/g) ?? [];
  if (marks.length === 0) return "";
  const last = marks[marks.length - 1] as "." | ",";
  if (new Set(marks).size > 1) return last;
  if (marks.length > 1) return "";
  const after = digits.length - digits.lastIndexOf(last) - 1;
  return after === 3 && last !== point ? "" : last;
}

/** A number as its field shows it. */
export function writeAmount(value: number | null, isMoney = false): string {
  if (value === null) return "";
  const text = isMoney && !Number.isInteger(value) ? value.toFixed(2) : String(value);
  return text.replace(".", readersPoint());
}
