import { serverNow } from "./hooks";
import { money } from "./money";
import { when } from "./time";

interface Labelled {
  label: string;
  value: string;
}

/** What an approver is shown of a question, signed in or from the link of a mail. */
export interface Asked {
  why: string;
  parts: { name: string; once_pence: number; monthly_pence: number; answers: Labelled[] }[];
  answers: Labelled[];
  answered: { question: string; answer: string }[];
  before: { ticket: number; decided_s: number | null; by: string }[];
}

export function costWords({ once_pence, monthly_pence }: { once_pence: number; monthly_pence: number }): string {
  const found = [once_pence ? money(once_pence) : "", monthly_pence ? `${money(monthly_pence)} a month` : ""].filter(Boolean).join(" + ");
  return found || "no cost";
}

const answersOf = (answers: Labelled[]) => answers.map((one) => `${one.label}: ${one.value}`);

/** Why, what is in it at what cost with which answers, what was asked back, what was approved before. */
export function askedRows(asked: Asked): [string, string][] {
  return [
    ["why", asked.why],
    ...asked.parts.map((part, at): [string, string] => [
      at === 0 ? "in it" : "",
      [`${part.name}, ${costWords(part)}`, ...answersOf(part.answers)].join(" · "),
    ]),
    ["answers", answersOf(asked.answers).join(" · ")],
    ...asked.answered.map((one): [string, string] => ["asked back", `${one.question} – “${one.answer || "no words, but it goes on"}”`]),
    [
      "before",
      asked.before
        .map((one) => `${one.ticket} approved by ${one.by}${one.decided_s ? `, ${when(one.decided_s, serverNow())}` : ""}`)
        .join(" · "),
    ],
  ];
}

export function FactRows({ rows, className }: { rows: [string, string][]; className: string }) {
  return (
    <dl className={`grid grid-cols-[90px_1fr] gap-x-2 gap-y-0.5 ${className}`}>
      {rows
        .filter(([, words]) => words)
        .map(([label, words], at) => (
          <div key={`${label} ${at}`} className="contents">
            <dt className="text-ink-2">{label}</dt>
            <dd className="min-w-0 break-words">{words}</dd>
          </div>
        ))}
    </dl>
  );
}
