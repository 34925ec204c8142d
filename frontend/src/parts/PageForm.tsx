import { useQuery } from "@tanstack/react-query";
import { api, ok, type Ticket } from "../api/client";
import { Buttons, type FormProps, useActForm } from "./actForm";
import { useDraft } from "./hooks";
import { ErrorNote, Field, inputClass } from "./ui";

const EMPTY = { why: "", team: "" };

/** Paging whoever is on call, with who that is now. */
export function PageForm({ ticket, onClose }: FormProps & { ticket: Ticket }) {
  const draft = useDraft(`page-${ticket.id}`, EMPTY);
  const form = useActForm(ticket, "page", () => {
    draft.clear();
    onClose();
  });
  const { data } = useQuery({ queryKey: ["rotas"], queryFn: () => ok(api.GET("/api/rotas")) });
  const team = draft.body.team || String(ticket.facts.team.id);
  const chosen = data?.find((one) => String(one.team) === team);
  const who = chosen?.turns[0]?.person;
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        form.send({ why: draft.body.why, team: +team });
      }}
    >
      <Field
        label="Of which team"
        error={form.fields.team}
        help={data ? (who ? `${who} is on call now.` : "Nobody is on call now: others of the rota or the lead are paged.") : undefined}
      >
        {(props) => (
          <select {...props} className={inputClass} value={team} onChange={(event) => draft.set({ team: event.target.value })}>
            {(data ?? [{ team: ticket.facts.team.id, name: ticket.facts.team.name }]).map((one) => (
              <option key={one.team} value={one.team}>
                {one.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="Why they are paged" error={form.fields.why}>
        {(props) => (
          <textarea
            {...props}
            autoFocus
            rows={2}
            maxLength={300}
            className={inputClass}
            value={draft.body.why}
            onChange={(event) => draft.set({ why: event.target.value })}
          />
        )}
      </Field>
      {form.problem && Object.keys(form.fields).length === 0 ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label="Page" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}
