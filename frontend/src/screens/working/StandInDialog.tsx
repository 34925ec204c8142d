import { useMutation, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useDraft } from "../../parts/hooks";
import { instantOfLocal } from "../../parts/time";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { WhenInput } from "../../parts/WhenInput";
import { useSession } from "../../shell/session";

type Rota = components["schemas"]["RotaShape"];
const EMPTY = { person: "", starts: "", ends: "" };

/** Somebody takes whoever's turn it is, for a span. */
export function StandInDialog({ rota, people, onClose }: { rota: Rota; people: { id: number; name: string }[]; onClose: () => void }) {
  const { me } = useSession();
  const queries = useQueryClient();
  const draft = useDraft(`stand-in-${rota.team}`, EMPTY);
  const whom = rota.is_mine_to_lead ? people : people.filter((one) => one.id === me?.id);
  const person = draft.body.person || String(whom.find((one) => one.id === me?.id)?.id ?? whom[0]?.id ?? "");
  const save = useMutation({
    mutationFn: () =>
      ok(
        api.POST("/api/rotas/{number}/stand-ins", {
          params: { path: { number: rota.team } },
          body: {
            person: Number(person),
            starts_at: new Date(instantOfLocal(draft.body.starts) * 1000).toISOString(),
            ends_at: new Date(instantOfLocal(draft.body.ends) * 1000).toISOString(),
          },
        }),
      ),
    onSuccess: () => {
      draft.clear();
      void queries.invalidateQueries({ queryKey: ["rotas"] });
      toast("It stands in the rota.");
      onClose();
    },
  });
  const fields: Record<string, string> = save.error instanceof Problem ? save.error.fields : {};
  return (
    <Dialog title={`Stand in for ${rota.name}`} about="Whoever's turn it is, it is theirs again afterwards." isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!save.isPending) save.mutate();
        }}
      >
        <Field label="Who" error={fields.person}>
          {(props) => (
            <select {...props} className={inputClass} value={person} onChange={(event) => draft.set({ person: event.target.value })}>
              {whom.map((one) => (
                <option key={one.id} value={one.id}>
                  {one.name}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="From" error={fields.starts_at}>
          {(props) => <WhenInput props={props} required value={draft.body.starts} onChange={(starts) => draft.set({ starts })} />}
        </Field>
        <Field label="Until" error={fields.ends_at}>
          {(props) => <WhenInput props={props} required value={draft.body.ends} onChange={(ends) => draft.set({ ends })} />}
        </Field>
        {save.error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(save.error)}</ErrorNote> : null}
        <span className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea" disabled={save.isPending}>
            Save
          </Button>
        </span>
      </form>
    </Dialog>
  );
}
