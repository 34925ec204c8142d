import { useState } from "react";
import type { FieldState } from "./FormFields";

interface Question {
  key: string;
  asks: string;
  choices: { key?: string; label?: string }[];
}

/** Whether the form that applies asks for a field that the page draws itself. */
export function isAsked(states: FieldState[], field: string): boolean {
  return states.find((state) => state.field === field)?.is_shown !== false;
}

/** The questions from which impact and urgency follow: asked until answered, never guessed. */
export function useQuestions(questions: Question[] | undefined, states: FieldState[], answers: Record<string, string>) {
  const [isTried, setTried] = useState(false);
  const asked = (questions ?? []).filter((one) => one.choices.length > 0 && isAsked(states, one.key));
  const open = asked.filter((one) => !answers[one.key]);
  return {
    asked,
    errorOf: (key: string) => (isTried && open.some((one) => one.key === key) ? "Choose one: the priority follows from it." : undefined),
    /** Says whether all are answered; shows what is not, and goes to the first of it. */
    areAnswered: () => {
      setTried(true);
      const [first] = open;
      if (first) document.getElementById(questionId(first.key))?.querySelector<HTMLElement>("input, button")?.focus();
      return !first;
    },
  };
}

export const questionId = (key: string) => `question-${key}`;
