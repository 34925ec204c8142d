import { useState } from "react";
import { Link } from "react-router";
import { api, ok, type Ticket } from "../../api/client";
import { Finder } from "../../parts/Finder";
import { useDraft } from "../../parts/hooks";
import { Button, ErrorNote, Field, inputClass } from "../../parts/ui";
import { useTicketWrite } from "../../parts/useTicketWrite";
import { exact } from "../../parts/time";
import type { Change } from "./words";

type Found = Change["items"][number]["found"][number];

/** What changes and why, of which type, on which items; all of it in one place to read and edit. */
export function WhatPanel({ ticket }: { ticket: Ticket }) {
  const [isOpen, setOpen] = useState(false);
  const change = ticket.change;
  if (!change) return null;
  const canEdit = change.is_editable && ticket.acts.some((act) => act.name === "change" && act.why_not === "");
  const { assessment } = change;
  return (
    <section id="what" aria-label="What and why" className="mb-3 rounded-card border border-line bg-sheet px-3.5 py-2.5">
      {isOpen ? (
        <Edit ticket={ticket} change={change} onDone={() => setOpen(false)} />
      ) : (
        <>
          <p className="whitespace-pre-wrap">
            <b>Why</b> {change.why || <span className="text-ink-2">not said yet</span>}
          </p>
          <p className="mt-1">
            <b>Type</b> {assessment.type.name.toLowerCase()}{" "}
            <span className="text-[13px] text-ink-2">
              {change.type === "" || assessment.type.key === assessment.suggested.key
                ? `because ${assessment.suggested_why}`
                : `chosen; suggested is ${assessment.suggested.name.toLowerCase()}, because ${assessment.suggested_why}`}
              {change.reason ? ` – ${change.reason}` : ""}
              {change.is_after_the_fact ? "; recorded after it was done" : ""}
            </span>
          </p>
          {assessment.against_type ? <p className="text-rust">{assessment.against_type}</p> : null}
          <p className="mt-1">
            <b>Tried before</b> {change.tried || <span className="text-ink-2">nowhere</span>}
          </p>
          <div className={`mt-1 ${change.is_release && change.items.length === 0 ? "hidden" : ""}`}>
            <b>Touches</b>{" "}
            {change.items.length === 0 ? (
              <span className="text-ink-2">no item named yet</span>
            ) : (
              change.items.map((one, index) => (
                <span key={one.item}>
                  {index > 0 ? ", " : ""}
                  <Link to={`/desk/items/${one.item}`} className="underline">
                    {one.name}
                  </Link>
                  {Object.entries(one.expected).map(([key, value]) => (
                    <Expected
                      key={key}
                      name={key}
                      is={said(one.recorded[key])}
                      wanted={said(value)}
                      found={one.found.find((each) => each.attribute === key)}
                    />
                  ))}
                </span>
              ))
            )}
          </div>
          {change.problem ? (
            <p className="mt-1">
              <b>For</b>{" "}
              <Link to={`/desk/tickets/${change.problem}`} className="underline">
                problem {change.problem}
              </Link>
            </p>
          ) : change.born_of ? (
            <p className="mt-1 text-ink-2">Opened from {change.born_of}.</p>
          ) : null}
          {change.learned ? (
            <p className="mt-1">
              <b>Learned</b> {change.learned}
            </p>
          ) : null}
          {canEdit ? (
            <p className="mt-1.5">
              <Button onClick={() => setOpen(true)}>Edit</Button>
            </p>
          ) : null}
        </>
      )}
    </section>
  );
}

/** What an attribute is to become, and what the first scan after the change has found. */
function Expected({ name, is, wanted, found }: { name: string; is: string; wanted: string; found?: Found }) {
  if (found?.verdict === "as expected")
    return (
      <span className="text-[13px]">
        {" "}
        ({name} <b>{wanted}</b>, <span className="text-ink-2">as a scan of {exact(found.at_s ?? 0)} found</span> ✓)
      </span>
    );
  if (found?.verdict === "otherwise")
    return (
      <span className="text-[13px] text-rust">
        {" "}
        ({name} is <b>{said(found.seen)}</b> by the scan of {exact(found.at_s ?? 0)}, not {wanted})
      </span>
    );
  return (
    <span className="text-[13px] text-ink-2">
      {" "}
      ({name} {is} → <b>{wanted}</b>
      {found ? ", no scan since" : ""})
    </span>
  );
}

function said(value: unknown): string {
  if (value === null || value === undefined || value === "") return "nothing";
  if (typeof value === "boolean") return value ? "yes" : "no";
  return typeof value === "string" || typeof value === "number" ? String(value) : JSON.stringify(value);
}

interface Item {
  item: number;
  name: string;
  expected: Record<string, unknown>;
}

function Edit({ ticket, change, onDone }: { ticket: Ticket; change: Change; onDone: () => void }) {
  const draft = useDraft(`change-${ticket.id}`, {
    why: change.why,
    tried: change.tried,
    type: change.type,
    reason: change.reason,
    items: change.items.map(({ item, name, expected }): Item => ({ item, name, expected })),
  });
  const { write, isBusy, fields, problem } = useTicketWrite(ticket.id, true);
  const [typed, setTyped] = useState("");
  const { body } = draft;
  const save = async () => {
    const said = {
      why: body.why,
      tried: body.tried,
      type: body.type,
      reason: body.reason,
      items: body.items.map(({ item, expected }) => ({ item, expected })),
      version: ticket.version,
    };
    if (await write(ok(api.PATCH("/api/changes/{number}", { params: { path: { number: ticket.id } }, body: said })), "Saved.")) {
      draft.clear();
      onDone();
    }
  };
  const isEmergency = change.types.some((one) => one.key === body.type && one.like === "emergency");
  return (
    <form
      className="flex flex-col gap-2.5"
      onSubmit={(event) => {
        event.preventDefault();
        if (!isBusy) void save();
      }}
    >
      <Field label="Why it is needed" error={fields.why}>
        {(props) => (
          <textarea
            {...props}
            autoFocus
            rows={3}
            maxLength={5000}
            className={inputClass}
            value={body.why}
            onChange={(event) => draft.set({ why: event.target.value })}
          />
        )}
      </Field>
      <Field label="Where it was tried before" error={fields.tried}>
        {(props) => (
          <input
            {...props}
            maxLength={300}
            placeholder="Nowhere"
            className={inputClass}
            value={body.tried}
            onChange={(event) => draft.set({ tried: event.target.value })}
          />
        )}
      </Field>
      <Field label="Type" error={fields.type}>
        {(props) => (
          <select {...props} className={inputClass} value={body.type} onChange={(event) => draft.set({ type: event.target.value })}>
            <option value="">As suggested: {change.assessment.suggested.name.toLowerCase()}</option>
            {change.types.map((one) => (
              <option key={one.key} value={one.key}>
                {one.name}
              </option>
            ))}
          </select>
        )}
      </Field>
      {isEmergency ? (
        <Field label="Why it cannot wait" error={fields.reason}>
          {(props) => (
            <input
              {...props}
              maxLength={300}
              className={inputClass}
              value={body.reason}
              onChange={(event) => draft.set({ reason: event.target.value })}
            />
          )}
        </Field>
      ) : null}
      <fieldset>
        <legend className="font-semibold">Items it touches</legend>
        <ul>
          {body.items.map((one) => (
            <TouchedItem
              key={one.item}
              one={one}
              onChange={(expected) =>
                draft.set({ items: body.items.map((each) => (each.item === one.item ? { ...each, expected } : each)) })
              }
              onRemove={() => draft.set({ items: body.items.filter((each) => each.item !== one.item) })}
            />
          ))}
        </ul>
        <div className="max-w-[360px]">
          <Finder
            props={{ "aria-label": "Another item" }}
            what="items for a change"
            find={async (words) => {
              const found = await ok(api.GET("/api/estate/items", { params: { query: { words } } }));
              return found.rows.slice(0, 9).map((one) => ({ id: one.id, name: one.name, note: `${one.kind}, ${one.place}` }));
            }}
            nothing="No item is called that."
            hint="Another item, by a part of its name"
            name={typed}
            onName={setTyped}
            onPick={(found) => {
              setTyped("");
              if (!body.items.some((one) => one.item === found.id))
                draft.set({ items: [...body.items, { item: found.id, name: found.name, expected: {} }] });
            }}
          />
        </div>
        {fields.items ? <ErrorNote>{fields.items}</ErrorNote> : null}
      </fieldset>
      {problem && Object.keys(fields).length === 0 ? <ErrorNote>{problem}</ErrorNote> : null}
      <p className="flex gap-2">
        <Button tone="sea" type="submit" disabled={isBusy}>
          Save
        </Button>
        <Button
          onClick={() => {
            draft.clear();
            onDone();
          }}
        >
          Cancel
        </Button>
      </p>
    </form>
  );
}

/** One item that is touched, with what is expected of which attribute once it is done. */
function TouchedItem({
  one,
  onChange,
  onRemove,
}: {
  one: Item;
  onChange: (expected: Record<string, unknown>) => void;
  onRemove: () => void;
}) {
  const [key, setKey] = useState("");
  const [value, setValue] = useState("");
  const add = () => {
    if (key.trim() === "" || value.trim() === "") return;
    onChange({ ...one.expected, [key.trim()]: /^-?\d+(\.\d+)?$/.test(value.trim()) ? Number(value) : value.trim() });
    setKey("");
    setValue("");
  };
  return (
    <li className="flex flex-wrap items-center gap-1.5 py-0.5">
      <span className="font-semibold">{one.name}</span>
      {Object.entries(one.expected).map(([name, is]) => (
        <button
          key={name}
          type="button"
          className="min-h-[24px] rounded-small bg-note px-1.5 text-[13px]"
          aria-label={`Expect nothing of ${name}`}
          onClick={() => onChange(Object.fromEntries(Object.entries(one.expected).filter(([each]) => each !== name)))}
        >
          {name} → {said(is)} ×
        </button>
      ))}
      <input
        aria-label={`Attribute of ${one.name}`}
        placeholder="attribute"
        className={`${inputClass} !w-[110px]`}
        value={key}
        onChange={(event) => setKey(event.target.value)}
      />
      <input
        aria-label={`Expected of ${one.name}`}
        placeholder="is to be"
        className={`${inputClass} !w-[110px]`}
        value={value}
        onChange={(event) => setValue(event.target.value)}
        onBlur={add}
        onKeyDown={(event) => {
          if (event.key === "Enter") {
            event.preventDefault();
            add();
          }
        }}
      />
      <button type="button" className="min-h-[24px] text-[13px] underline" aria-label={`Remove ${one.name}`} onClick={onRemove}>
        remove
      </button>
    </li>
  );
}
