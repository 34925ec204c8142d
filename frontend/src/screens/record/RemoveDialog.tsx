import { useState } from "react";
import { api, type Entry, ok, type Ticket } from "../../api/client";
import { Button, Dialog, ErrorNote, inputClass } from "../../parts/ui";
import { useTicketWrite } from "../../parts/useTicketWrite";

/** Remove a text or a file everywhere; that it was done, by whom and why stays. */
export function RemoveDialog({
  ticket,
  entry,
  file,
  onClose,
}: {
  ticket: Ticket;
  entry: Entry;
  file: string | undefined;
  onClose: () => void;
}) {
  const { write, isBusy, fields, problem } = useTicketWrite(ticket.id, true);
  const [reason, setReason] = useState("");
  const remove = async () => {
    const body = { reason };
    const done = await write(
      file
        ? ok(api.POST("/api/tickets/{number}/files/{key}/redact", { params: { path: { number: ticket.id, key: file } }, body }))
        : ok(api.POST("/api/tickets/{number}/events/{event}/redact", { params: { path: { number: ticket.id, event: entry.id } }, body })),
      "Removed.",
    );
    if (done) onClose();
  };
  return (
    <Dialog
      title={file ? "Remove the file" : "Remove the text"}
      about="It goes from the history, the search and the mail that is kept. It cannot be brought back."
      isOpen
      onClose={onClose}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void remove();
        }}
      >
        <label className="flex flex-col gap-1 font-semibold text-ink-2">
          Why
          <input
            autoFocus
            maxLength={300}
            className={`${inputClass} font-normal`}
            placeholder="A password was pasted"
            value={reason}
            onChange={(event) => setReason(event.target.value)}
          />
        </label>
        {problem ? <ErrorNote>{fields.reason ?? problem}</ErrorNote> : null}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea" disabled={isBusy || !reason.trim()}>
            Remove it
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
