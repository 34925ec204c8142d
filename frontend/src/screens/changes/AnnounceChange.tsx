import { api, ok, type Ticket } from "../../api/client";
import { useDraft } from "../../parts/hooks";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { useTicketWrite } from "../../parts/useTicketWrite";

/** Planned work on everybody's portal, in one move: when it is follows the change. */
export function AnnounceChange({ ticket, onClose }: { ticket: Ticket; onClose: () => void }) {
  const change = ticket.change;
  const reached = (change?.assessment.reached ?? []).filter((one) => one.share >= 0.5).map((one) => one.name);
  const named = reached.slice(0, 3).join(", ");
  const draft = useDraft(`announce-${ticket.id}`, {
    title: change?.announced || `Planned work${named ? ` on ${named}` : ""}`,
    text: named ? `${named} may stop for a while in this time.` : "",
  });
  const { write, isBusy, fields, problem } = useTicketWrite(ticket.id, true);
  const path = { path: { number: ticket.id } };
  const done = (said: Promise<unknown>, words: string) =>
    write(said, words).then((isDone) => {
      if (!isDone) return;
      draft.clear();
      onClose();
    });
  return (
    <Dialog
      title="Announce it on the portal"
      about="Everybody reads it from now until it is over. When it is stands in it by itself, and moves with the change."
      isOpen
      onClose={onClose}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy)
            void done(
              ok(api.POST("/api/changes/{number}/announce", { params: path, body: { ...draft.body, place: "" } })),
              "It is on the portal.",
            );
        }}
      >
        <Field label="In a few words" error={fields.title}>
          {(props) => (
            <input
              {...props}
              autoFocus
              maxLength={120}
              className={inputClass}
              value={draft.body.title}
              onChange={(event) => draft.set({ title: event.target.value })}
            />
          )}
        </Field>
        <Field label="What it means for them" error={fields.text}>
          {(props) => (
            <textarea
              {...props}
              rows={3}
              maxLength={3500}
              className={inputClass}
              value={draft.body.text}
              onChange={(event) => draft.set({ text: event.target.value })}
            />
          )}
        </Field>
        {problem && Object.keys(fields).length === 0 ? <ErrorNote>{problem}</ErrorNote> : null}
        <p className="flex flex-wrap gap-2">
          <Button tone="sea" type="submit" disabled={isBusy}>
            {change?.announced ? "Announce it so" : "Announce"}
          </Button>
          {change?.announced ? (
            <Button
              disabled={isBusy}
              onClick={() => void done(ok(api.DELETE("/api/changes/{number}/announce", { params: path })), "It is off the portal.")}
            >
              Take it off
            </Button>
          ) : null}
          <Button onClick={onClose}>Cancel</Button>
        </p>
      </form>
    </Dialog>
  );
}
