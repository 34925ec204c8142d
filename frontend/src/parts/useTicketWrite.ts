import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../api/client";
import { tellTouched } from "../shell/live";

interface TicketWrite {
  /** Do something that answers with the whole ticket; says whether it worked. */
  write: (work: Promise<unknown>, words?: string) => Promise<boolean>;
  isBusy: boolean;
  fields: Record<string, string>;
  problem: string | null;
  forget: () => void;
}

/** Writes to a part of a ticket: the answer is the whole of it, a refusal is said in words. */
export function useTicketWrite(number: number, isQuiet = false): TicketWrite {
  const queries = useQueryClient();
  const [isBusy, setBusy] = useState(false);
  const [error, setError] = useState<Problem | null>(null);
  const write = async (work: Promise<unknown>, words?: string) => {
    setBusy(true);
    setError(null);
    try {
      const next = await work;
      if (next && typeof next === "object" && "conversation" in next) queries.setQueryData(["ticket", number], next);
      else void queries.invalidateQueries({ queryKey: ["ticket", number] });
      for (const key of ["lookout", "help", "figures"]) void queries.invalidateQueries({ queryKey: [key] });
      tellTouched([number]);
      if (words) toast(words, undoOf(next));
      return true;
    } catch (problem) {
      const known = problem instanceof Problem ? problem : null;
      setError(known);
      if (!isQuiet || !known || Object.keys(known.fields).length === 0) toast.error(sentence(problem));
      return false;
    } finally {
      setBusy(false);
    }
  };
  /** What is offered beside the words: taking it back, while it can be. */
  const undoOf = (next: unknown) => {
    if (!next || typeof next !== "object" || !("undo_event" in next) || next.undo_event === null) return undefined;
    const undo = () => write(ok(api.POST("/api/tickets/{number}/undo", { params: { path: { number } }, body: {} })), "Taken back.");
    return { duration: 9500, action: { label: "Undo", onClick: () => void undo() } };
  };
  return { write, isBusy, fields: error?.fields ?? {}, problem: error?.message ?? null, forget: () => setError(null) };
}
