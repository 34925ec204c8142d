import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, type Phrase, Problem, type Routine, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useChoices } from "../../parts/choices";
import { MassFields, startOf } from "../../parts/list/MassFields";
import type { MassAct, Params } from "../../parts/list/MassDialog";
import { Button, Dialog, Empty, ErrorNote, Field, inputClass } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { Announcements } from "./Announcements";
import { Surveys } from "./Surveys";

type Hint = components["schemas"]["KeptHintShape"];
type Whose = "mine" | "team" | "everybody";

/** What is prepared: phrases, routines, hints. */
export function PreparedPage() {
  const [editing, setEditing] = useState<{ what: "phrase" | "routine" | "hint"; row: Phrase | Routine | Hint | null } | null>(null);
  const phrases = useQuery({ queryKey: ["phrases"], queryFn: () => ok(api.GET("/api/phrases")) });
  const routines = useQuery({ queryKey: ["routines"], queryFn: () => ok(api.GET("/api/routines")) });
  const hints = useQuery({ queryKey: ["hints"], queryFn: () => ok(api.GET("/api/hints")) });
  const choices = useChoices();
  const serviceName = (id: number | null) => choices?.services.find((one) => one.id === id)?.name ?? "";
  return (
    <div className="mx-auto max-w-[1000px] px-5 py-4">
      <h1 className="text-[21px] font-bold">Phrases, hints, routines</h1>
      <List
        title="Phrases"
        about="Typed / in a reply or note, a phrase stands there, its placeholders filled in."
        onAdd={() => setEditing({ what: "phrase", row: null })}
      >
        {phrases.data?.map((row) => (
          <Row
            key={row.id}
            name={row.name}
            whose={row.whose}
            text={row.text}
            onChange={row.may_change ? () => setEditing({ what: "phrase", row }) : undefined}
          />
        ))}
        {phrases.data?.length === 0 ? <Empty title="No phrases yet" /> : null}
      </List>
      <List
        title="Routines"
        about="Several acts on a ticket as one button; what it would do is shown first."
        onAdd={() => setEditing({ what: "routine", row: null })}
      >
        {routines.data?.map((row) => (
          <Row
            key={row.id}
            name={row.name}
            whose={row.whose}
            text={row.steps.join("\n")}
            onChange={row.may_change ? () => setEditing({ what: "routine", row }) : undefined}
          />
        ))}
      </List>
      <List
        title="Hints"
        about="Short advice on a category or service, shown beside its tickets."
        onAdd={() => setEditing({ what: "hint", row: null })}
      >
        {hints.data?.map((row) => (
          <Row
            key={row.id}
            name={row.category || serviceName(row.service)}
            whose={row.kept_by}
            text={row.text}
            onChange={() => setEditing({ what: "hint", row })}
          />
        ))}
      </List>
      <Surveys />
      <Announcements />
      {editing ? <Editor what={editing.what} row={editing.row} onClose={() => setEditing(null)} /> : null}
    </div>
  );
}

function List({ title, about, onAdd, children }: { title: string; about: string; onAdd: () => void; children: React.ReactNode }) {
  return (
    <section aria-label={title} className="mt-4 rounded-card border border-line bg-sheet">
      <div className="flex items-center gap-3 border-b border-line px-3.5 py-2">
        <h2 className="font-bold">{title}</h2>
        <p className="min-w-0 flex-1 text-[13px] text-ink-2">{about}</p>
        <Button onClick={onAdd}>New</Button>
      </div>
      <ul>{children}</ul>
    </section>
  );
}

function Row({ name, whose, text, onChange }: { name: string; whose: string; text: string; onChange?: (() => void) | undefined }) {
  return (
    <li className="flex items-start gap-3 border-b border-line px-3.5 py-2 last:border-0">
      <div className="min-w-0 flex-1">
        <p className="font-semibold">
          {name} <span className="font-normal text-ink-2">· {whose}</span>
        </p>
        <p className="whitespace-pre-wrap text-[13px] text-ink-2">{text}</p>
      </div>
      {onChange ? (
        <Button tone="quiet" aria-label={`Change ${name}`} onClick={onChange}>
          Change
        </Button>
      ) : null}
    </li>
  );
}

interface EditorProps {
  what: "phrase" | "routine" | "hint";
  row: Phrase | Routine | Hint | null;
  onClose: () => void;
}

function Editor({ what, row, onClose }: EditorProps) {
  const queries = useQueryClient();
  const { me } = useSession();
  const choices = useChoices();
  const { data: teams } = useQuery({ queryKey: ["teams"], queryFn: () => ok(api.GET("/api/teams")), staleTime: 60_000 });
  const named = row && "name" in row ? row : null;
  const [name, setName] = useState(named?.name ?? "");
  const [text, setText] = useState(row && "text" in row ? row.text : "");
  const [whose, setWhose] = useState<Whose>(named ? (named.whose === "mine" ? "mine" : named.team ? "team" : "everybody") : "mine");
  const [team, setTeam] = useState(String(named?.team ?? ""));
  const [acts, setActs] = useState<{ act: MassAct; params: Params }[]>(
    row && "acts" in row ? (row.acts as { act: MassAct; params: Params }[]) : [],
  );
  const hint = row && "category" in row ? row : null;
  const [service, setService] = useState(String(hint?.service ?? ""));
  const [category, setCategory] = useState(hint?.category ?? "");
  const [error, setError] = useState<Problem | null>(null);
  const mine = teams?.filter((one) => me?.teams.includes(one.name)) ?? [];
  const key = `${what}s`;
  const run = async (work: Promise<unknown>) => {
    try {
      await work;
      await queries.invalidateQueries({ queryKey: [key] });
      onClose();
    } catch (problem) {
      setError(problem instanceof Problem ? problem : null);
      if (!(problem instanceof Problem)) toast.error(sentence(problem));
    }
  };
  const save = () => {
    const owner = { name, for: whose, team: whose === "team" && team ? +team : null };
    const params = { path: { number: row?.id ?? 0 } };
    if (what === "phrase") {
      const body = { ...owner, text };
      return run(row ? ok(api.PUT("/api/phrases/{number}", { params, body })) : ok(api.POST("/api/phrases", { body })));
    }
    if (what === "routine") {
      const body = { ...owner, acts: acts as never };
      return run(row ? ok(api.PUT("/api/routines/{number}", { params, body })) : ok(api.POST("/api/routines", { body })));
    }
    const body = { text, category, service: service ? +service : null };
    return run(row ? ok(api.PUT("/api/hints/{number}", { params, body })) : ok(api.POST("/api/hints", { body })));
  };
  const drop = () => {
    const params = { path: { number: row?.id ?? 0 } };
    if (what === "phrase") return run(ok(api.DELETE("/api/phrases/{number}", { params })));
    if (what === "routine") return run(ok(api.DELETE("/api/routines/{number}", { params })));
    return run(ok(api.DELETE("/api/hints/{number}", { params })));
  };
  return (
    <Dialog title={row ? `Change the ${what}` : `A new ${what}`} isWide={what === "routine"} isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void save();
        }}
      >
        {what === "hint" ? (
          <div className="grid grid-cols-2 gap-3">
            <Field label="Service" error={error?.fields.service}>
              {(props) => (
                <select {...props} className={inputClass} value={service} onChange={(event) => setService(event.target.value)}>
                  <option value="">no service</option>
                  {choices?.services.map((one) => (
                    <option key={one.id} value={one.id}>
                      {one.name}
                    </option>
                  ))}
                </select>
              )}
            </Field>
            <Field label="Category" error={error?.fields.category}>
              {(props) => (
                <select {...props} className={inputClass} value={category} onChange={(event) => setCategory(event.target.value)}>
                  <option value="">no category</option>
                  {choices?.categories.map((one) => (
                    <option key={one}>{one}</option>
                  ))}
                </select>
              )}
            </Field>
          </div>
        ) : (
          <>
            <Field label="Name" error={error?.fields.name}>
              {(props) => (
                <input
                  {...props}
                  autoFocus
                  maxLength={80}
                  className={inputClass}
                  value={name}
                  onChange={(event) => setName(event.target.value)}
                />
              )}
            </Field>
            <div className="flex flex-wrap items-center gap-x-5 gap-y-1" role="radiogroup" aria-label="Whose">
              {(["mine", "team", "everybody"] as const).map((one) => (
                <label key={one} className="flex items-center gap-1.5">
                  <input type="radio" name="whose" checked={whose === one} onChange={() => setWhose(one)} />
                  {one === "team" ? "my team's" : one === "mine" ? "mine" : "everybody's"}
                </label>
              ))}
              {whose === "team" ? (
                <select
                  aria-label="Team"
                  className={`${inputClass} !w-auto`}
                  value={team}
                  onChange={(event) => setTeam(event.target.value)}
                >
                  <option value="">Choose…</option>
                  {mine.map((one) => (
                    <option key={one.id} value={one.id}>
                      {one.name}
                    </option>
                  ))}
                </select>
              ) : null}
              {error?.fields.team ? <span className="text-rust">{error.fields.team}</span> : null}
            </div>
          </>
        )}
        {what === "routine" ? (
          <Acts acts={acts} onChange={setActs} problem={error?.fields.acts} />
        ) : (
          <Field
            label="Text"
            error={error?.fields.text}
            help={
              what === "phrase" ? "Placeholders: {name} {requester} {number} {title} {service} {team} {actor} {fix_by} {link}" : undefined
            }
          >
            {(props) => (
              <textarea {...props} rows={7} className={inputClass} value={text} onChange={(event) => setText(event.target.value)} />
            )}
          </Field>
        )}
        {error && Object.keys(error.fields).length === 0 ? <ErrorNote>{error.message}</ErrorNote> : null}
        <div className="flex justify-end gap-2">
          {row ? (
            <Button tone="quiet" className="mr-auto" onClick={() => void drop()}>
              Drop it
            </Button>
          ) : null}
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea">
            Save
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

function Acts({
  acts,
  onChange,
  problem,
}: {
  acts: { act: MassAct; params: Params }[];
  onChange: (acts: { act: MassAct; params: Params }[]) => void;
  problem: string | undefined;
}) {
  const known = (useChoices()?.acts_on_many ?? []).filter((act) => act.in_routines);
  return (
    <div className="flex flex-col gap-3">
      {acts.map((one, index) => (
        <fieldset key={index} className="rounded-small border border-line px-3 py-2">
          <legend className="px-1 font-semibold">
            {index + 1}. {known.find((act) => act.name === one.act)?.label ?? one.act}{" "}
            <button
              type="button"
              className="min-h-[24px] min-w-[24px] text-ink-2"
              aria-label={`Remove act ${index + 1}`}
              onClick={() => onChange(acts.filter((_, at) => at !== index))}
            >
              ×
            </button>
          </legend>
          <div className="flex flex-col gap-2">
            <MassFields
              act={one.act}
              params={one.params}
              fields={{}}
              onChange={(change) =>
                onChange(acts.map((old, at) => (at === index ? { ...old, params: { ...old.params, ...change } } : old)))
              }
            />
          </div>
        </fieldset>
      ))}
      <Field label="Add an act" error={problem}>
        {(props) => (
          <select
            {...props}
            className={inputClass}
            value=""
            onChange={(event) => {
              const act = event.target.value;
              if (event.target.value) onChange([...acts, { act, params: startOf(act) }]);
            }}
          >
            <option value="">Choose…</option>
            {known.map((act) => (
              <option key={act.name} value={act.name}>
                {act.label}
              </option>
            ))}
          </select>
        )}
      </Field>
    </div>
  );
}
