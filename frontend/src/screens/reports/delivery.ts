/** Figures of a threshold as people type them: ages in days, money in pounds, the rest as it is. */

const DIVIDE: Record<string, number> = { seconds: 86_400, pence: 100 };
const UNIT: Record<string, string> = { seconds: "days", percent: "%", minutes: "minutes", pence: "in money", number: "" };

export function shownOf(raw: number, unit: string): number {
  return raw / (DIVIDE[unit] ?? 1);
}

export function rawOf(shown: number, unit: string): number {
  return Number.isFinite(shown) ? shown * (DIVIDE[unit] ?? 1) : 0;
}

export function unitOf(unit: string): string {
  return UNIT[unit] ?? "";
}

/** Addresses as they are typed or pasted: with commas, semicolons or breaks between them, each once. */
export function addressesOf(text: string): string[] {
  return [
    ...new Set(
      text
        .split(/[\s,;]+/u)
        .map((one) => one.trim())
        .filter((one) => one !== ""),
    ),
  ];
}
