/**
 * Cuts each Latin font into what nearly every page needs and the rest, which a browser
 * fetches only for a page that says something with it: `node fonts.mjs`.
 */
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import subsetFont from "subset-font";

const MADE = "made";
const WEIGHTS = { min: 400, max: 700, default: 400 };
// As `unicode-range` says it in src/look/fonts.css: ASCII, and the signs of our own words.
const BASIC = [
  [0x20, 0x7e],
  0xa0,
  0xa3,
  0xab,
  0xb0,
  0xb7,
  0xbb,
  0xd7,
  [0x2013, 0x2014],
  [0x2018, 0x2019],
  [0x201c, 0x201d],
  0x2022,
  0x2026,
  0x20ac,
  0x2191,
  0x2193,
  0x2212,
];
const LATIN = [
  [0x00, 0xff],
  0x131,
  [0x152, 0x153],
  [0x2bb, 0x2bc],
  0x2c6,
  0x2da,
  0x2dc,
  0x304,
  0x308,
  0x329,
  [0x2000, 0x206f],
  0x20ac,
  0x2122,
  0x2191,
  0x2193,
  0x2212,
  0x2215,
  0xfeff,
  0xfffd,
];

const points = (ranges) =>
  ranges.flatMap((one) => (Array.isArray(one) ? Array.from({ length: one[1] - one[0] + 1 }, (_, n) => one[0] + n) : [one]));
const text = (numbers) => String.fromCodePoint(...numbers);

const basic = new Set(points(BASIC));
const rest = points(LATIN).filter((number) => !basic.has(number));
mkdirSync(MADE, { recursive: true });
for (const name of ["next", "mono"]) {
  const whole = readFileSync(
    `node_modules/@fontsource-variable/atkinson-hyperlegible-${name}/files/atkinson-hyperlegible-${name}-latin-wght-normal.woff2`,
  );
  for (const [part, numbers] of [
    ["basic", [...basic]],
    ["rest", rest],
  ])
    writeFileSync(
      `${MADE}/${name}-${part}.woff2`,
      await subsetFont(whole, text(numbers), { targetFormat: "woff2", variationAxes: { wght: WEIGHTS } }),
    );
}
