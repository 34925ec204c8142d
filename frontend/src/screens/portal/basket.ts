import { useDraft } from "../../parts/hooks";

export interface BasketLine {
  key: string;
  name: string;
  answers: Record<string, unknown>;
  once_pence: number;
  monthly_pence: number;
}

/** What is asked for together; kept like every draft. */
export function useBasket() {
  const draft = useDraft("basket", { lines: [] as BasketLine[], reason: "" });
  const lines = Array.isArray(draft.body.lines) ? draft.body.lines : [];
  return {
    lines,
    reason: draft.body.reason,
    has: (key: string) => lines.some((line) => line.key === key),
    add: (line: BasketLine) => draft.set({ lines: [...lines.filter((one) => one.key !== line.key), line] }),
    drop: (key: string) => draft.set({ lines: lines.filter((line) => line.key !== key) }),
    setReason: (reason: string) => draft.set({ reason }),
    clear: draft.clear,
  };
}
