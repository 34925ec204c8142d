import { AmountInput } from "./AmountInput";
import { useState } from "react";
import { api, ok } from "../api/client";
import { useTicketWrite } from "./useTicketWrite";
import { Button, Dialog, ErrorNote, Field, inputClass } from "./ui";

interface DoneDialogProps {
  number: number;
  task: { id: number; title: string; outputs: { name: string; value: string }[]; cost_pence?: number; spent_pence?: number | null };
  onClose: () => void;
}

/** A task that yields something, or cost something, is done by saying what. */
export function DoneDialog({ number, task, onClose }: DoneDialogProps) {
  const { write, isBusy, fields, problem } = useTicketWrite(number, true);
  const [outputs, setOutputs] = useState<Record<string, string>>(Object.fromEntries(task.outputs.map((one) => [one.name, one.value])));
  const [spent, setSpent] = useState(task.cost_pence ? String((task.spent_pence ?? task.cost_pence) / 100) : "");
  const save = async () => {
    const body = { state: "done" as const, outputs, spent_pence: spent === "" ? null : Math.round(+spent * 100) };
    const work = ok(api.POST("/api/tickets/{number}/tasks/{task}", { params: { path: { number, task: task.id } }, body }));
    if (await write(work, "Done.")) onClose();
  };
  return (
    <Dialog title={`Done: ${task.title}`} isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void save();
        }}
      >
        {task.outputs.map((one, index) => (
          <Field key={one.name} label={one.name.charAt(0).toUpperCase() + one.name.slice(1)} error={fields[one.name]}>
            {(props) => (
              <input
                {...props}
                autoFocus={index === 0}
                maxLength={200}
                className={inputClass}
                value={outputs[one.name] ?? ""}
                onChange={(event) => setOutputs({ ...outputs, [one.name]: event.target.value })}
              />
            )}
          </Field>
        ))}
        {task.cost_pence ? (
          <Field label="What it did cost" error={fields.spent_pence}>
            {(props) => (
              <AmountInput
                isMoney
                props={props}
                value={spent === "" ? null : +spent}
                onChange={(next) => setSpent(next === null ? "" : String(next))}
              />
            )}
          </Field>
        ) : null}
        {problem && Object.keys(fields).length === 0 ? <ErrorNote>{problem}</ErrorNote> : null}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea" disabled={isBusy}>
            Done
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
