import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import { Finder } from "../../parts/Finder";
import { useDraft } from "../../parts/hooks";
import { Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { findNodes } from "../services/findNodes";
import { Foot } from "./Causes";

interface NewProblemProps {
  /** Of which incidents it is opened, if of any. */
  incidents?: number[];
  title?: string;
  /** The name of the pattern it is opened from. */
  pattern?: string;
  onClose: () => void;
}

/** Opening a problem; what is typed is kept until it is opened. */
export function NewProblem({ incidents = [], title = "", pattern = "", onClose }: NewProblemProps) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const place = pattern || incidents.length > 0 ? `problem-of-${(incidents[0] ?? 0).toString()}` : "problem";
  const draft = useDraft(place, { title, text: "", on: 0, onName: "" });
  const [error, setError] = useState<unknown>(null);
  const [isBusy, setBusy] = useState(false);
  const { body } = draft;
  const fields = error instanceof Problem ? error.fields : {};
  const open = async () => {
    setBusy(true);
    setError(null);
    try {
      const made = await ok(
        api.POST("/api/problems/open", {
          body: {
            title: body.title,
            text: body.text,
            incidents,
            pattern,
            category: "",
            is_confidential: false,
            ...(body.on > 0 ? { ci: body.on } : {}),
            ...(body.on < 0 ? { service: -body.on } : {}),
          },
        }),
      );
      draft.clear();
      for (const key of ["problems", "patterns", "ticket", "tickets", "lookout"]) void queries.invalidateQueries({ queryKey: [key] });
      onClose();
      toast(`Problem ${made.id} is open.`);
      void navigate(`/desk/tickets/${made.id}`);
    } catch (problem) {
      setError(problem);
    } finally {
      setBusy(false);
    }
  };
  const about =
    incidents.length === 0
      ? "What lies behind incidents, or may break before anything did."
      : `Of ${incidents.length} ${incidents.length === 1 ? "incident" : "incidents"}: ${incidents.slice(0, 6).join(", ")}${incidents.length > 6 ? " …" : ""}. Service, item and priority follow from them.`;
  return (
    <Dialog title="New problem" about={about} isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy) void open();
        }}
      >
        <Field label="What it is" error={fields.title}>
          {(props) => (
            <input
              {...props}
              autoFocus
              maxLength={200}
              className={inputClass}
              value={body.title}
              onChange={(event) => draft.set({ title: event.target.value })}
            />
          )}
        </Field>
        <Field label="What is seen, and what is known" error={fields.text}>
          {(props) => (
            <textarea
              {...props}
              rows={4}
              maxLength={20000}
              className={inputClass}
              value={body.text}
              onChange={(event) => draft.set({ text: event.target.value })}
            />
          )}
        </Field>
        {incidents.length === 0 ? (
          <Field label="Service or item" error={fields.service ?? fields.ci}>
            {(props) => (
              <Finder
                props={props}
                what="services and items"
                find={findNodes}
                nothing="Nothing is called that."
                name={body.onName}
                onName={(onName) => draft.set({ onName, on: 0 })}
                onPick={(found) => draft.set({ on: found.id, onName: found.name })}
              />
            )}
          </Field>
        ) : null}
        {error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        {fields.incidents ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        <Foot label="Open the problem" isBusy={isBusy} onClose={onClose} />
      </form>
    </Dialog>
  );
}
