/** Colours a name can have; each bears white text (WCAG 2.2 AA, by day and by night). */
const COLOURS = ["#2b5a8c", "#7a4a1c", "#3d6b35", "#6b3f78", "#1e6666", "#8a3a4f", "#4f4f86", "#6a5a14", "#8a4630", "#3f5a66"];

/** The colour that somebody keeps, wherever they are shown. */
function colourOf(name: string): string {
  let sum = 7;
  for (const letter of name) sum = (sum * 31 + letter.charCodeAt(0)) % 9973;
  return COLOURS[sum % COLOURS.length] ?? "#2b5a8c";
}

/** Two letters for a name: the first of the first and of the last word. */
export function initialsOf(name: string): string {
  const words = name.trim().split(/\s+/);
  const [first = "?"] = words;
  return (first.charAt(0) + (words.length > 1 ? (words.at(-1) ?? "").charAt(0) : "")).toUpperCase();
}

/** A person's initials in their colour; their name always stands beside or in a title. */
export function Initials({ name, size = 20 }: { name: string; size?: number }) {
  return (
    <span
      aria-hidden="true"
      title={name}
      className="inline-flex shrink-0 items-center justify-center rounded-full font-semibold text-white"
      style={{ width: size, height: size, fontSize: size * 0.42, background: colourOf(name) }}
    >
      {initialsOf(name)}
    </span>
  );
}
