import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok } from "../api/client";
import { Buttons, type FormProps, useActForm } from "./actForm";
import { useDebounced } from "./hooks";
import { ErrorNote, Field, inputClass } from "./ui";

/** Finds another ticket by number or words. */
function TicketPicker({
  label,
  error,
  chosen,
  onPick,
}: {
  label: string;
  error?: string | undefined;
  chosen: { id: number; title: string } | null;
  onPick: (ticket: { id: number; title: string } | null) => void;
}) {
  const [words, setWords] = useState("");
  const [at, setAt] = useState(0);
  const late = useDebounced(words.trim(), 200);
  const { data } = useQuery({
    queryKey: ["find", late],
    queryFn: () => ok(api.GET("/api/find", { params: { query: { q: late } } })),
    enabled: late.length > 1 && chosen === null,
  });
  return (
    <Field label={label} error={error}>
      {(props) => (
        <>
          <input
            {...props}
            autoFocus
            placeholder="A number, or some words"
            className={inputClass}
            role="combobox"
            aria-expanded={chosen === null && Boolean(data?.tickets.length)}
            aria-controls="tickets-found"
            autoComplete="off"
            value={chosen ? `${chosen.id} ${chosen.title}` : words}
            onChange={(event) => {
              onPick(null);
              setAt(0);
              setWords(event.target.value);
            }}
            onKeyDown={(event) => {
              const rows = chosen === null ? (data?.tickets ?? []) : [];
              const row = rows[at];
              if (event.ctrlKey || event.metaKey || !row) return;
              if (event.key === "ArrowDown") setAt(Math.min(at + 1, rows.length - 1));
              else if (event.key === "ArrowUp") setAt(Math.max(0, at - 1));
              else if (event.key === "Enter") onPick({ id: row.id, title: row.title });
              else return;
              event.preventDefault();
            }}
          />
          {chosen === null && data ? (
            <ul
              id="tickets-found"
              role="listbox"
              aria-label="Tickets found"
              className="max-h-44 overflow-y-auto rounded-small border border-line"
            >
              {data.tickets.map((row, index) => (
                <li key={row.id} role="option" aria-selected={index === at}>
                  <button
                    type="button"
                    tabIndex={-1}
                    className={`w-full px-2 py-1 text-left hover:bg-sea-3 ${index === at ? "bg-sea-3" : ""}`}
                    onClick={() => onPick({ id: row.id, title: row.title })}
                  >
                    <span className="font-mono text-[13px]">{row.id}</span> {row.title} <span className="text-ink-2">{row.state}</span>
                  </button>
                </li>
              ))}
              {data.tickets.length === 0 ? (
                <li role="option" aria-selected={false} aria-disabled className="px-2 py-1 text-ink-2">
                  Nothing is called that.
                </li>
              ) : null}
            </ul>
          ) : null}
        </>
      )}
    </Field>
  );
}

const KINDS = ["related to", "caused by", "blocks", "duplicate of"];

export function LinkForm({ ticket, onClose }: FormProps) {
  const [kind, setKind] = useState("related to");
  const [other, setOther] = useState<{ id: number; title: string } | null>(null);
  const form = useActForm(ticket, "links", onClose);
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        form.send({ kind, other: other?.id ?? 0 });
      }}
    >
      <Field label={`${ticket.id} is`}>
        {(props) => (
          <select {...props} className={inputClass} value={kind} onChange={(event) => setKind(event.target.value)}>
            {KINDS.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        )}
      </Field>
      <TicketPicker label="the ticket" error={form.fields.other} chosen={other} onPick={setOther} />
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label="Link" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}

export function MergeForm({
  ticket,
  onClose,
  into: given,
  onMerged,
}: FormProps & { into?: number | undefined; onMerged: (into: number) => void }) {
  const [into, setInto] = useState<{ id: number; title: string } | null>(given ? { id: given, title: "" } : null);
  const form = useActForm(ticket, "merge", () => {
    onClose();
    if (into) onMerged(into.id);
  });
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        form.send({ into: into?.id ?? 0 });
      }}
    >
      <TicketPicker label="Merge into" error={form.fields.into ?? form.fields.other} chosen={into} onPick={setInto} />
      <p className="text-ink-2">
        {ticket.id} ends as a duplicate. {ticket.facts.requester.name} and everybody who follows it follow the other one and hear of it;
        both conversations stay readable.
      </p>
      {form.problem ? <ErrorNote>{form.problem}</ErrorNote> : null}
      <Buttons label="Merge" isPending={form.isPending} onClose={onClose} />
    </form>
  );
}
