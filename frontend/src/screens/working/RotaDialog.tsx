import { useMutation, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useDraft } from "../../parts/hooks";
import { localInput } from "../../parts/time";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { WhenInput } from "../../parts/WhenInput";
import { moved, OrderButtons } from "../rulebook/parts";

type Rota = components["schemas"]["RotaShape"];
interface Member {
  id: number;
  name: string;
}

const EMPTY = { people: "", zone: "", first: "", weeks: "", next: "" };

/** The last time it was nine o'clock: what begins there is under way. */
const lastNine = () => `${localInput(Date.now() / 1000 - 9 * 3600).slice(0, 10)}T09:00`;

/** Whose turn it is, from when, at what local time; what was typed is kept until it is saved. */
export function RotaDialog({ rota, people, onClose }: { rota: Rota; people: Member[]; onClose: () => void }) {
  const queries = useQueryClient();
  const draft = useDraft(`rota-${rota.team}`, EMPTY);
  const stored = rota.rota;
  const zone = draft.body.zone || (stored?.zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone);
  const first = draft.body.first || (stored ? `${stored.starts}T${stored.at}` : lastNine());
  const [starts = "", at = ""] = first.split("T");
  const weeks = draft.body.weeks || String(stored?.weeks ?? 1);
  const next = draft.body.next || String(stored?.next_minutes ?? 10);
  const chosen = draft.body.people ? (JSON.parse(draft.body.people) as number[]) : (stored?.people ?? []).map((one) => one.id);
  const names = new Map([...people, ...(stored?.people ?? [])].map((one) => [one.id, one.name]));
  const choose = (ids: number[]) => draft.set({ people: JSON.stringify(ids) });
  const done = (words: string) => {
    draft.clear();
    void queries.invalidateQueries({ queryKey: ["rotas"] });
    toast(words);
    onClose();
  };
  const path = { params: { path: { number: rota.team } } };
  const save = useMutation({
    mutationFn: () =>
      ok(api.PUT("/api/rotas/{number}", { ...path, body: { people: chosen, zone, starts, at, weeks: +weeks, next_minutes: +next } })),
    onSuccess: () => done("The rota is kept."),
  });
  const drop = useMutation({
    mutationFn: () => ok(api.DELETE("/api/rotas/{number}", path)),
    onSuccess: () => done(`${rota.name} has no rota now.`),
    onError: (error) => toast.error(sentence(error)),
  });
  const fields: Record<string, string> = save.error instanceof Problem ? save.error.fields : {};
  const field = (label: string, name: "zone" | "weeks" | "next", value: string, type: string, error?: string) => (
    <Field label={label} error={error}>
      {(props) => (
        <input
          {...props}
          type={type}
          required
          className={inputClass}
          value={value}
          onChange={(event) => draft.set({ [name]: event.target.value })}
        />
      )}
    </Field>
  );
  return (
    <Dialog
      title={`The rota of ${rota.name}`}
      about="Who is on call, in order, each from one hand-over to the next."
      isOpen
      onClose={onClose}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!save.isPending) save.mutate();
        }}
      >
        <fieldset>
          <legend className="font-semibold text-ink-2">In this order</legend>
          <ol>
            {chosen.map((id, index) => (
              <li key={id} className="flex items-center gap-2 py-0.5">
                <span className="min-w-0 flex-1">{names.get(id) ?? "somebody who has left the team"}</span>
                <OrderButtons
                  name={names.get(id) ?? ""}
                  index={index}
                  count={chosen.length}
                  onMove={(to) => choose(moved(chosen, index, to))}
                />
                <button type="button" className="min-h-[24px] underline" onClick={() => choose(chosen.filter((one) => one !== id))}>
                  remove
                </button>
              </li>
            ))}
          </ol>
          {chosen.length === 0 ? <p className="text-ink-2">Nobody yet.</p> : null}
          <p className="mt-1 flex flex-wrap gap-1.5">
            {people
              .filter((one) => !chosen.includes(one.id))
              .map((one) => (
                <Button key={one.id} tone="quiet" onClick={() => choose([...chosen, one.id])}>
                  + {one.name}
                </Button>
              ))}
          </p>
          {fields.people ? <p className="text-rust">{fields.people}</p> : null}
        </fieldset>
        <div className="grid grid-cols-2 gap-3 max-[500px]:grid-cols-1">
          <Field label="First hand-over" error={fields.starts ?? fields.at} help="In the local time of the zone">
            {(props) => <WhenInput props={props} required value={first} onChange={(next) => draft.set({ first: next })} />}
          </Field>
          {field("Time zone", "zone", zone, "text", fields.zone)}
          {field("Weeks of a turn", "weeks", weeks, "number", fields.weeks)}
          {field("Minutes until the next is paged", "next", next, "number", fields.next_minutes)}
        </div>
        {save.error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(save.error)}</ErrorNote> : null}
        <span className="flex flex-wrap justify-end gap-2">
          {stored ? (
            <Button tone="quiet" className="mr-auto" disabled={drop.isPending} onClick={() => drop.mutate()}>
              No rota any more
            </Button>
          ) : null}
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea" disabled={save.isPending}>
            Save
          </Button>
        </span>
      </form>
    </Dialog>
  );
}
