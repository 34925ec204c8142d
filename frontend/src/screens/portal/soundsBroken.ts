/** Words by which people say that something does not work, rather than that they want something. */
const BROKEN = [
  "broken?",
  "breaks?",
  "(not|never|no longer|stopped) (work\\w*|open\\w*|start\\w*|print\\w*|load\\w*|respond\\w*|connect\\w*|ring\\w*|read\\w*)",
  "(does|do|did|will|is|are|can|could)( ?n[o’']t|not)\\b(?! (have|need|own))",
  "won[’']?t",
  "can[’']?t",
  "errors?",
  "fail\\w*",
  "fault\\w*",
  "slow\\w*",
  "stuck",
  "jam(s|med|ming)?",
  "crash\\w*",
  "fr(ee|o)z\\w*",
  "hangs?",
  "down",
  "dead",
  "blank",
  "flicker\\w*",
  "drops?",
  "rejects?",
  "lost (the )?(signal|connection|link)",
  "no (signal|sound|tone|picture|connection|power|internet)",
  "out of order",
  "wrong",
  "problems?",
  "locked out",
];
const PATTERN = new RegExp(`(^|[^\\p{L}])(${BROKEN.join("|")})($|[^\\p{L}])`, "iu");

export function soundsBroken(words: string): boolean {
  return PATTERN.test(words);
}
