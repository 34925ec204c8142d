import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence, type Ticket } from "../../api/client";
import { FieldInput } from "../../parts/FormFields";
import { useLocalDraft } from "../../parts/localDraft";
import { Button, Field, inputClass } from "../../parts/ui";

/** The rulebook's own fields, and tags. */
export function MoreFacts({ ticket, canEdit }: { ticket: Ticket; canEdit: boolean }) {
  const queries = useQueryClient();
  const settle = {
    onSuccess: (next: Ticket) => queries.setQueryData(["ticket", ticket.id], next),
    onError: (error: unknown) => toast.error(sentence(error)),
  };
  const change = useMutation({
    mutationFn: (body: Record<string, unknown>) =>
      ok(
        api.PATCH("/api/tickets/{number}", {
          params: { path: { number: ticket.id } },
          body: { version: ticket.version, ...body } as never,
        }),
      ),
    ...settle,
  });
  return (
    <>
      <section className="rounded-card border border-line bg-sheet px-3.5 py-3" aria-label="More details">
        <h2 className="mb-1.5 font-bold">More details</h2>
        <div className="flex flex-col gap-2">
          {ticket.statuses.length > 0 ? (
            <Field label="Status">
              {(props) => (
                <select
                  {...props}
                  disabled={!canEdit}
                  className={inputClass}
                  value={ticket.status}
                  onChange={(event) => change.mutate({ status: event.target.value })}
                >
                  <option value="">{ticket.state}</option>
                  {ticket.statuses.map((status) => (
                    <option key={status.key} value={status.key}>
                      {status.label}
                    </option>
                  ))}
                </select>
              )}
            </Field>
          ) : null}
          {ticket.fields.map((field) => (
            <OwnField
              key={field.field}
              where={`field-${ticket.id}-${field.field}`}
              field={field}
              canEdit={canEdit}
              onSave={(value, onSaved) => change.mutate({ values: { [field.field]: value } }, { onSuccess: onSaved })}
            />
          ))}
          <Tags key={ticket.tags.join()} tags={ticket.tags} canEdit={canEdit} onSave={(tags) => change.mutate({ tags })} />
        </div>
        {ticket.template ? <p className="mt-2 text-ink-2">From the template “{ticket.template}”.</p> : null}
      </section>
    </>
  );
}

interface OwnFieldProps {
  where: string;
  field: Ticket["fields"][number];
  canEdit: boolean;
  onSave: (value: unknown, onSaved: () => void) => void;
}

/** A field of the rulebook's own: saved when it is left, or at once for a choice; what was not is kept. */
function OwnField({ where, field, canEdit, onSave }: OwnFieldProps) {
  const stored = JSON.stringify(field.value ?? null);
  const [draft, setDraft] = useLocalDraft<{ value: unknown }>(where);
  const [value, setValue] = useState<unknown>(draft && canEdit ? draft.value : field.value);
  const first = useRef(true);
  useEffect(() => {
    if (!first.current) setValue(JSON.parse(stored));
    first.current = false;
  }, [stored]);
  const isChosen = field.choices.length > 0 || field.type === "yes/no" || field.type === "attachment";
  const keep = (next: unknown) => {
    if (JSON.stringify(next ?? null) !== stored) onSave(next, () => setDraft(null));
    else setDraft(null);
  };
  return (
    <div onBlur={() => (isChosen ? undefined : keep(value))}>
      <Field label={`${field.label}${field.is_required ? " (needed to resolve)" : ""}`} help={field.hint || undefined}>
        {(props) => (
          <FieldInput
            props={props}
            state={{ ...field, is_read_only: !canEdit || field.is_read_only }}
            value={value}
            onChange={(next) => {
              setValue(next);
              if (isChosen) keep(next);
              else setDraft({ value: next ?? null });
            }}
          />
        )}
      </Field>
      {draft && canEdit ? (
        <p className="mt-0.5 flex items-center gap-3 text-[13px] text-ink-2">
          not saved yet
          <button type="button" className="min-h-[24px] underline" onClick={() => keep(value)}>
            save
          </button>
          <button
            type="button"
            className="min-h-[24px] underline"
            onMouseDown={(event) => event.preventDefault()}
            onClick={() => {
              setDraft(null);
              setValue(JSON.parse(stored));
            }}
          >
            discard
          </button>
        </p>
      ) : null}
    </div>
  );
}

function Tags({ tags, canEdit, onSave }: { tags: string[]; canEdit: boolean; onSave: (tags: string[]) => void }) {
  const [text, setText] = useState("");
  return (
    <div>
      <p className="font-semibold text-ink-2">Tags</p>
      <div className="mt-1 flex flex-wrap items-center gap-1.5">
        {tags.map((tag) => (
          <span key={tag} className="rounded-small border border-line-2 px-1.5">
            {tag}
            {canEdit ? (
              <button
                type="button"
                aria-label={`Remove the tag ${tag}`}
                className="ml-1 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
                onClick={() => onSave(tags.filter((one) => one !== tag))}
              >
                ×
              </button>
            ) : null}
          </span>
        ))}
        {canEdit ? (
          <form
            className="inline-flex gap-1"
            onSubmit={(event) => {
              event.preventDefault();
              if (text.trim()) onSave([...tags, text.trim()]);
            }}
          >
            <input
              aria-label="A new tag"
              placeholder="tag"
              maxLength={40}
              className="w-24 rounded-small border border-line-2 bg-sheet px-1.5"
              value={text}
              onChange={(event) => setText(event.target.value)}
            />
            {text ? <Button type="submit">Add</Button> : null}
          </form>
        ) : null}
      </div>
    </div>
  );
}
