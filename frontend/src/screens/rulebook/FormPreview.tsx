import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok, sentence } from "../../api/client";
import { FormFields } from "../../parts/FormFields";
import { useDebounced } from "../../parts/hooks";
import { ErrorNote } from "../../parts/ui";
import { type Form, NEEDLE } from "./data";

export function FormPreview({ form, template }: { form: Form; template?: Record<string, unknown> }) {
  const [audience, setAudience] = useState<"requester" | "agent">("requester");
  const [answers, setAnswers] = useState<Record<string, unknown>>({});
  const late = useDebounced(JSON.stringify({ form, template, answers, audience }), 250);
  const { data, error } = useQuery({
    queryKey: [...NEEDLE, "form", late],
    queryFn: () => {
      const asked = JSON.parse(late) as {
        form: Form;
        template?: Record<string, unknown>;
        answers: Record<string, unknown>;
        audience: "requester" | "agent";
      };
      return ok(
        api.POST("/api/rulebook/preview-form", {
          body: {
            form: asked.form as never,
            template: asked.template ?? null,
            answers: asked.answers,
            audience: asked.audience,
            stage: "submitting",
          },
        }),
      );
    },
    retry: false,
    placeholderData: (old) => old,
  });
  return (
    <div className="rounded-card border border-line bg-paper px-4 py-3">
      <p className="mb-2 flex gap-2">
        <b className="flex-1">As seen by</b>
        {(["requester", "agent"] as const).map((one) => (
          <label key={one} className="flex items-center gap-1">
            <input type="radio" name="audience" checked={audience === one} onChange={() => setAudience(one)} />
            {one === "requester" ? "a requester" : "an agent"}
          </label>
        ))}
      </p>
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {data ? <FormFields states={data} answers={answers} onChange={(name, value) => setAnswers({ ...answers, [name]: value })} /> : null}
    </div>
  );
}
