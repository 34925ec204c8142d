import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, Problem } from "../api/client";
import { serverNow } from "./hooks";
import { exact, instantOfLocal, localInput } from "./time";
import { Button, Dialog, ErrorNote, Field, inputClass } from "./ui";
import { WhenInput } from "./WhenInput";

interface RemindDialogProps {
  ticket: { id: number; title: string };
  onClose: () => void;
}

const SOON: [string, (now: Date) => Date][] = [
  ["in an hour", (now) => new Date(now.getTime() + 3600_000)],
  ["this afternoon", (now) => at(now, 0, 15)],
  ["tomorrow morning", (now) => at(now, 1, 9)],
  ["next Monday", (now) => at(now, (8 - now.getDay()) % 7 || 7, 9)],
];

function at(now: Date, days: number, hour: number): Date {
  return new Date(now.getFullYear(), now.getMonth(), now.getDate() + days, hour);
}

/** A note to oneself that comes back at an instant. */
export function RemindDialog({ ticket, onClose }: RemindDialogProps) {
  const now = new Date(serverNow() * 1000);
  const [when, setWhen] = useState("");
  const [text, setText] = useState("");
  const [error, setError] = useState<Problem | null>(null);
  const queries = useQueryClient();
  const keep = async () => {
    try {
      const kept = await ok(
        api.POST("/api/tickets/{number}/reminders", {
          params: { path: { number: ticket.id } },
          body: { text, at: when ? new Date(instantOfLocal(when) * 1000).toISOString() : (null as never) },
        }),
      );
      toast(`You will be reminded ${exact(kept.at_s)}.`);
      for (const key of ["lookout", "ticket"]) void queries.invalidateQueries({ queryKey: [key] });
      onClose();
    } catch (problem) {
      setError(problem instanceof Problem ? problem : null);
    }
  };
  return (
    <Dialog title={`Remind me of ${ticket.id}`} about={ticket.title} isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void keep();
        }}
      >
        <div className="flex flex-wrap gap-2">
          {SOON.map(([words, make]) => {
            const moment = make(now);
            if (moment.getTime() <= now.getTime()) return null;
            return (
              <Button key={words} onClick={() => setWhen(localInput(moment.getTime() / 1000))}>
                {words}
              </Button>
            );
          })}
        </div>
        <Field label="When" error={error?.fields.at}>
          {(props) => (
            <WhenInput
              props={props}
              autoFocus

              min={localInput(serverNow())}

              value={when}
              onChange={(next) => setWhen(next)}
            />
          )}
        </Field>
        <Field label="Of what" error={error?.fields.text} help="Only you see it.">
          {(props) => (
            <input {...props} maxLength={300} className={inputClass} value={text} onChange={(event) => setText(event.target.value)} />
          )}
        </Field>
        {error && Object.keys(error.fields).length === 0 ? <ErrorNote>{error.message}</ErrorNote> : null}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea">
            Remind me
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
