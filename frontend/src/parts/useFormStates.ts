import { useQuery } from "@tanstack/react-query";
import { api, ok } from "../api/client";
import type { FieldState } from "./FormFields";
import { useDebounced } from "./hooks";

interface Filled {
  title: string;
  text: string;
  service: string;
  place: string;
  who: string;
  work: string;
  template?: string;
  category?: string;
  values: Record<string, unknown>;
}

/** The states of the form that applies to what has been filled in so far. */
export function useFormStates(audience: "requester" | "agent", filled: Filled): FieldState[] {
  const { title, text, place, who, work, values, service, template = "", category = "" } = filled;
  const late = useDebounced(JSON.stringify({ answers: { title, text, place, who, work, ...values }, service, template, category }), 200);
  const { data } = useQuery({
    queryKey: ["form", audience, late],
    queryFn: () => {
      const asked = JSON.parse(late) as { answers: Record<string, unknown>; service: string; template: string; category: string };
      const answers = Object.fromEntries(Object.entries(asked.answers).filter(([, value]) => value !== "" && value !== null));
      return ok(
        api.POST("/api/forms", {
          body: {
            audience,
            answers: answers as never,
            category: asked.category,
            template: asked.template,
            service: asked.service ? +asked.service : null,
          },
        }),
      );
    },
    placeholderData: (old) => old,
    retry: false,
  });
  return data ?? [];
}
