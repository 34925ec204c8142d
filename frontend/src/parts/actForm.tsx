import { useMutation, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { api, ok, Problem, sentence, type Ticket } from "../api/client";
import { tellTouched } from "../shell/live";
import { Button } from "./ui";

/** The name of an act, as the server lists it for a record. */
export type ActName = string;

const DONE: Record<string, string> = {
  take: "It is yours now.",
  wait: "Set waiting.",
  resume: "Resumed.",
  "hand-over": "Handed over.",
  priority: "Priority set.",
  resolve: "Resolved.",
  reopen: "Reopened.",
  cancel: "Cancelled.",
  announce: "Announced on everybody's portal.",
  reply: "Sent in ten seconds.",
  note: "Note added.",
  escalate: "Escalated.",
  approvals: "Asked.",
  links: "Linked.",
  merge: "Merged.",
  "not-for-us": "Rejected as not ours.",
  outward: "Done.",
  undo: "Taken back.",
};
type Body = Record<string, unknown>;

/** Do an act on a ticket: shows what was done, offers undo for ten seconds, reads again. */
export function useAct(number: number) {
  const queries = useQueryClient();
  const settle = (ticket: Ticket) => {
    queries.setQueryData(["ticket", number], ticket);
    tellTouched([number]);
    for (const key of ["lookout", "figures", "groups"]) void queries.invalidateQueries({ queryKey: [key] });
    void queries.invalidateQueries({ queryKey: ["why", number] });
  };
  const post = (name: string, body: Body) =>
    ok(
      api.POST(`/api/tickets/{number}/${name}` as "/api/tickets/{number}/resolve", {
        params: { path: { number } },
        body: body as never,
      }),
    );
  return useMutation({
    mutationFn: async ({ name, body }: { name: string; body: Body }) => ({ name, ticket: await post(name, body) }),
    onSuccess: ({ name, ticket }) => {
      // Merging answers with the ticket that goes on; what is taken back is the merged one.
      if (name === "merge") void queries.invalidateQueries({ queryKey: ["ticket"] });
      else settle(ticket);
      const canUndo = name === "merge" || (name !== "undo" && ticket.undo_event !== null);
      toast(DONE[name] ?? "Done.", {
        duration: 9500,
        ...(canUndo
          ? {
              action: {
                label: "Undo",
                onClick: () => {
                  post("undo", {})
                    .then((back) => {
                      settle(back);
                      toast("Taken back.");
                    })
                    .catch((error: unknown) => toast.error(sentence(error)));
                },
              },
            }
          : {}),
      });
    },
    onError: (error) => {
      if (error instanceof Problem && error.status === 409 && error.body.current)
        queries.setQueryData(["ticket", number], error.body.current);
      else if (error instanceof Problem && error.status === 409) void queries.invalidateQueries({ queryKey: ["ticket", number] });
      if (!(error instanceof Problem) || error.status !== 422) toast.error(sentence(error));
    },
  });
}

export interface FormProps {
  ticket: Ticket;
  onClose: () => void;
}

/** Submits an act; a stale version is read again and the words stay in the form. */
export function useActForm(ticket: Ticket, name: ActName, onDone: () => void) {
  const act = useAct(ticket.id);
  const error = act.error instanceof Problem ? act.error : null;
  return {
    send: (body: Body) => act.mutate({ name, body }, { onSuccess: onDone }),
    isPending: act.isPending,
    fields: error?.fields ?? {},
    /** What is wrong with what the form does not ask for, for a form that knows what it asks. */
    beside: (asked: string[]) => (error && Object.keys(error.fields).some((field) => !asked.includes(field)) ? error.message : null),
    problem:
      error && Object.keys(error.fields).length === 0
        ? error.code === "stale"
          ? `${error.message} It has been read again: look at it, then send once more.`
          : error.message
        : null,
  };
}

export function Buttons({ label, isPending, onClose }: { label: string; isPending: boolean; onClose: () => void }) {
  return (
    <div className="mt-4 flex justify-end gap-2">
      <Button onClick={onClose}>Cancel</Button>
      {label ? (
        <Button type="submit" tone="sea" disabled={isPending}>
          {isPending ? "Working…" : label}
        </Button>
      ) : null}
    </div>
  );
}
