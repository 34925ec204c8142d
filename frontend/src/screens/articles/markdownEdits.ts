/** What the buttons above a text do to it: pure, so that each can be tried on its own. */

export interface Chosen {
  text: string;
  from: number;
  to: number;
}

/** A piece of the text to put something else for, and what is chosen afterwards. */
export interface Edit {
  from: number;
  to: number;
  insert: string;
  select: { from: number; to: number };
}

/** Marks around what is chosen, or away again where they stand. */
export function around({ text, from, to }: Chosen, mark: string, placeholder: string): Edit {
  const wide = mark.length;
  if (text.slice(from - wide, from) === mark && text.slice(to, to + wide) === mark && to > from) {
    return {
      from: from - wide,
      to: to + wide,
      insert: text.slice(from, to),
      select: { from: from - wide, to: to - wide },
    };
  }
  const inner = text.slice(from, to) || placeholder;
  return { from, to, insert: `${mark}${inner}${mark}`, select: { from: from + wide, to: from + wide + inner.length } };
}

const BEGINS = /^(?:#{1,4} |> |\d+\. (?:\[[ x]\] )?|[-*] (?:\[[ x]\] )?)/;

/** The lines of what is chosen, each begun so; begun so already, plain again. */
function lines({ text, from, to }: Chosen, begin: (at: number) => string): Edit {
  const start = text.lastIndexOf("\n", from - 1) + 1;
  const found = text.indexOf("\n", Math.max(to, start));
  const end = found < 0 ? text.length : found;
  const each = text.slice(start, end).split("\n");
  const areBegun = each.every((line, at) => BEGINS.exec(line)?.[0].replace("[x]", "[ ]") === begin(at));
  const made = each.map((line, at) => (areBegun ? "" : begin(at)) + line.replace(BEGINS, "")).join("\n");
  return { from: start, to: end, insert: made, select: { from: start + made.length, to: start + made.length } };
}

export const heading = (chosen: Chosen) => lines(chosen, () => "## ");
export const bullets = (chosen: Chosen) => lines(chosen, () => "- ");
export const steps = (chosen: Chosen) => lines(chosen, (at) => `${at + 1}. `);
export const checkedSteps = (chosen: Chosen) => lines(chosen, (at) => `${at + 1}. [ ] `);

export const REMARKS = ["Note", "Tip", "Careful"] as const;

/** A remark of its own: “Careful:” and what to be careful of. */
export function remark(chosen: Chosen, sort: (typeof REMARKS)[number]): Edit {
  const inner = chosen.text.slice(chosen.from, chosen.to).replace(/\n/g, "\n> ");
  const start = `> **${sort}:** `;
  return apart(chosen, `${start}${inner || "what to know"}`, start.length, start.length + (inner || "what to know").length);
}

export function table(chosen: Chosen): Edit {
  const made = "| What | How |\n| --- | --- |\n|  |  |";
  return apart(chosen, made, 2, 6);
}

/** A picture as texts show it; what it shows is chosen, to be said better. */
export function picture(chosen: Chosen, name: string, shows: string, size = ""): Edit {
  const said = plainWords(shows);
  return apart(chosen, `![${said}](pictures/${name}${size})`, 2, 2 + said.length);
}

export function link({ text, from, to }: Chosen, address: string, title: string): Edit {
  const words = plainWords(text.slice(from, to) || title);
  const made = `[${words}](${address})`;
  return { from, to, insert: made, select: { from: from + made.length, to: from + made.length } };
}

/** An article as words of a message, which shows neither its pictures nor boxes to tick. */
export function asMessage(body: string): string {
  return body
    .replace(/!\[([^\]]*)\]\(pictures\/[^)]*\)\n*/g, "")
    .replace(/^(\s*(?:\d+\.|[-*]) )\[[ x]\] /gm, "$1")
    .trim();
}

/** What a picture of this file shows, until somebody says it. */
export function shownBy(file: string): string {
  return (
    plainWords(
      file
        .replace(/\.[a-z]+$/i, "")
        .replace(/-[0-9a-f]{8}$/, "")
        .replace(/[-_]+/g, " "),
    ) || "picture"
  );
}

function plainWords(said: string): string {
  return said
    .replace(/[[\]\n]+/g, " ")
    .replace(/\s+/g, " ")
    .trim();
}

/** Something that stands in lines of its own, with an empty one before and after. */
function apart({ text, from, to }: Chosen, made: string, selectFrom: number, selectTo: number): Edit {
  const before = text.slice(0, from);
  const after = text.slice(to);
  const lead = before === "" || before.endsWith("\n\n") ? "" : before.endsWith("\n") ? "\n" : "\n\n";
  const trail = after === "" || after.startsWith("\n\n") ? "" : after.startsWith("\n") ? "\n" : "\n\n";
  const at = from + lead.length;
  return { from, to, insert: `${lead}${made}${trail}`, select: { from: at + selectFrom, to: at + selectTo } };
}
