import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok, Problem, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useChoices } from "../../parts/choices";
import { serverNow, useNow } from "../../parts/hooks";
import { instantOfLocal, localInput, when } from "../../parts/time";
import { Button, Dialog, Empty, ErrorNote, Field, inputClass } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { WhenInput } from "../../parts/WhenInput";

type Announcement = components["schemas"]["NewsShape"];

const WRITERS = new Set(["administrator", "team lead", "knowledge editor"]);
const WEEK = 7 * 86_400;

/** News for everybody's portal between two instants, or for the people of one place. */
export function Announcements() {
  const { me } = useSession();
  const now = useNow();
  const [editing, setEditing] = useState<Announcement | "new" | null>(null);
  const { data } = useQuery({ queryKey: ["announcements"], queryFn: () => ok(api.GET("/api/announcements")) });
  const mayChange = Boolean(me?.roles.some((one) => WRITERS.has(one)));
  return (
    <section aria-label="Announcements" className="mt-4 rounded-card border border-line bg-sheet">
      <div className="flex items-center gap-3 border-b border-line px-3.5 py-2">
        <h2 className="font-bold">Announcements</h2>
        <p className="min-w-0 flex-1 text-[13px] text-ink-2">
          News on the portal: planned work, other hours. What is broken is announced on its ticket.
        </p>
        {mayChange ? <Button onClick={() => setEditing("new")}>New announcement</Button> : null}
      </div>
      <ul>
        {data?.map((row) => (
          <li key={row.id} className="flex items-start gap-3 border-b border-line px-3.5 py-2 last:border-0">
            <div className="min-w-0 flex-1">
              <p className="font-semibold">
                {row.title}{" "}
                <span className="font-normal text-ink-2">
                  · {row.from_s > now ? `from ${when(row.from_s, now)} ` : ""}until {when(row.to_s, now)} · {audience(row)} · {row.author}
                </span>
              </p>
              <p className="whitespace-pre-wrap text-[13px] text-ink-2">{row.text}</p>
            </div>
            {mayChange ? (
              <Button tone="quiet" aria-label={`Change the announcement ${row.title}`} onClick={() => setEditing(row)}>
                Change
              </Button>
            ) : null}
          </li>
        ))}
        {data?.length === 0 ? <Empty title="Nothing is announced" /> : null}
      </ul>
      {editing ? <Editor row={editing === "new" ? null : editing} onClose={() => setEditing(null)} /> : null}
    </section>
  );
}

/** Whose portal shows it: "Saltgate, who use Web booking". */
function audience(row: Announcement): string {
  const used = row.service?.name ?? row.group_name;
  if (!used) return row.place || "everybody";
  return row.place ? `those of ${row.place} who use ${used}` : `those who use ${used}`;
}

function Editor({ row, onClose }: { row: Announcement | null; onClose: () => void }) {
  const queries = useQueryClient();
  const choices = useChoices();
  const [title, setTitle] = useState(row?.title ?? "");
  const [text, setText] = useState(row?.text ?? "");
  const [place, setPlace] = useState(row?.place ?? "");
  const [uses, setUses] = useState(row?.service ? `service ${row.service.id}` : row?.group ? `group ${row.group}` : "");
  const [from, setFrom] = useState(localInput(row?.from_s ?? serverNow()));
  const [to, setTo] = useState(localInput(row?.to_s ?? serverNow() + WEEK));
  const [error, setError] = useState<Problem | null>(null);
  const [isBusy, setBusy] = useState(false);
  const run = async (work: Promise<unknown>) => {
    setBusy(true);
    try {
      await work;
      await queries.invalidateQueries({ queryKey: ["announcements"] });
      void queries.invalidateQueries({ queryKey: ["portal"] });
      onClose();
    } catch (problem) {
      setError(problem instanceof Problem ? problem : new Problem(0, "", sentence(problem), {}));
    }
    setBusy(false);
  };
  const save = () => {
    const [what, ...named] = uses.split(" ");
    const service = what === "service" ? Number(named[0]) : null;
    const group = what === "group" ? named.join(" ") : "";
    const body = { title, text, place, service, group, from_s: instantOfLocal(from) || 0, to_s: instantOfLocal(to) || 0 };
    return run(
      row
        ? ok(api.PUT("/api/announcements/{number}", { params: { path: { number: row.id } }, body }))
        : ok(api.POST("/api/announcements", { body })),
    );
  };
  return (
    <Dialog
      title={row ? "Change the announcement" : "Announce something"}
      about="It stands on the portal between the two moments."
      isOpen
      onClose={onClose}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void save();
        }}
      >
        <Field label="In a few words" error={error?.fields.title}>
          {(props) => (
            <input
              {...props}
              autoFocus
              maxLength={120}
              className={inputClass}
              value={title}
              onChange={(event) => setTitle(event.target.value)}
            />
          )}
        </Field>
        <Field label="What people need to know" help="Markdown works here." error={error?.fields.text}>
          {(props) => (
            <textarea
              {...props}
              rows={4}
              maxLength={4000}
              className={inputClass}
              value={text}
              onChange={(event) => setText(event.target.value)}
            />
          )}
        </Field>
        <div className="grid grid-cols-2 gap-3 max-[520px]:grid-cols-1">
          <Field label="From" error={error?.fields.from_s}>
            {(props) => (
              <WhenInput
                props={props}

                value={from}
                onChange={(next) => setFrom(next)}
              />
            )}
          </Field>
          <Field label="Until" error={error?.fields.to_s}>
            {(props) => <WhenInput props={props} value={to} onChange={(next) => setTo(next)} />}
          </Field>
          <Field label="For the people of" error={error?.fields.place}>
            {(props) => (
              <select {...props} className={inputClass} value={place} onChange={(event) => setPlace(event.target.value)}>
                <option value="">everywhere</option>
                {choices?.places.map((one) => (
                  <option key={one}>{one}</option>
                ))}
              </select>
            )}
          </Field>
          <Field label="For those who use" error={error?.fields.service ?? error?.fields.group}>
            {(props) => (
              <select {...props} className={inputClass} value={uses} onChange={(event) => setUses(event.target.value)}>
                <option value="">anything</option>
                <optgroup label="A service">
                  {choices?.services.map((one) => (
                    <option key={one.id} value={`service ${one.id}`}>
                      {one.name}
                    </option>
                  ))}
                </optgroup>
                <optgroup label="What belongs to a group of items">
                  {choices?.item_groups.map((one) => (
                    <option key={one.key} value={`group ${one.key}`}>
                      {one.name}
                    </option>
                  ))}
                </optgroup>
              </select>
            )}
          </Field>
        </div>
        {error && Object.keys(error.fields).length === 0 ? <ErrorNote>{error.message}</ErrorNote> : null}
        <div className="flex justify-end gap-2">
          {row ? (
            <Button
              tone="quiet"
              className="mr-auto"
              disabled={isBusy}
              onClick={() => void run(ok(api.DELETE("/api/announcements/{number}", { params: { path: { number: row.id } } })))}
            >
              End it
            </Button>
          ) : null}
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea" disabled={isBusy}>
            {row ? "Save" : "Announce it"}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
