import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import { useChoices } from "../../parts/choices";
import { useDraft } from "../../parts/hooks";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";

/** Recording an item by hand: name, type, service and place; the rest is said on its page. */
export function NewItem({ kinds, onClose }: { kinds: string[]; onClose: () => void }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const choices = useChoices();
  const draft = useDraft("item-new", { name: "", kind: "", place: "", service: "", why: "" });
  const [problem, setProblem] = useState<unknown>(null);
  const [isBusy, setBusy] = useState(false);
  const { body } = draft;
  const fields = problem instanceof Problem ? problem.fields : {};
  const save = async () => {
    setBusy(true);
    setProblem(null);
    try {
      const made = await ok(
        api.POST("/api/estate/items/new", {
          body: {
            name: body.name,
            kind: body.kind,
            place: body.place,
            key: "",
            why: body.why,
            service: body.service ? +body.service : null,
          },
        }),
      );
      draft.clear();
      for (const key of ["estate-items", "map", "services"]) void queries.invalidateQueries({ queryKey: [key] });
      toast(`${made.name} is recorded.`);
      onClose();
      void navigate(`/desk/items/${made.id}`);
    } catch (error) {
      setProblem(error);
    } finally {
      setBusy(false);
    }
  };
  const text = (label: string, name: "name" | "place" | "why", takesFocus = false) => (
    <Field label={label} error={fields[name]}>
      {(props) => (
        <input
          {...props}
          autoFocus={takesFocus}
          maxLength={name === "why" ? 500 : 80}
          className={inputClass}
          value={body[name]}
          onChange={(event) => draft.set({ [name]: event.target.value })}
        />
      )}
    </Field>
  );
  return (
    <Dialog title="Record an item" about="What is written down of it, and what it stands on, is said on its page." isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy) void save();
        }}
      >
        {text("Name", "name", true)}
        <Field label="Type" error={fields.kind}>
          {(props) => (
            <select {...props} className={inputClass} value={body.kind} onChange={(event) => draft.set({ kind: event.target.value })}>
              <option value="">Choose one</option>
              {kinds.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          )}
        </Field>
        <Field label="Service" error={fields.service}>
          {(props) => (
            <select {...props} className={inputClass} value={body.service} onChange={(event) => draft.set({ service: event.target.value })}>
              <option value="">None</option>
              {choices?.services.map((one) => (
                <option key={one.id} value={one.id}>
                  {one.name}
                </option>
              ))}
            </select>
          )}
        </Field>
        {text("Place", "place")}
        {text("Why it is recorded", "why")}
        {problem && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(problem)}</ErrorNote> : null}
        <span className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea" disabled={isBusy}>
            Record it
          </Button>
        </span>
      </form>
    </Dialog>
  );
}
