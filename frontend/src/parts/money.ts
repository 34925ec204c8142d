let sign = "";

/** The sign of the organisation's currency, as its settings say. */
export function setCurrency(text: string): void {
  sign = text;
}

/** The sign alone, to stand before a field that takes an amount. */
export function currencySign(): string {
  return sign;
}

/** An amount that is only computed: to say its pence would claim more than is known. */
export function about(pence: number): string {
  return money(Math.round(pence / 100) * 100);
}

/** An amount with its sign: whole when it is, else with both places. */
export function money(pence: number): string {
  const amount = (pence / 100).toLocaleString("en-GB", { minimumFractionDigits: pence % 100 === 0 ? 0 : 2 });
  return `${sign}${amount}`;
}
