import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import { useNow } from "../../parts/hooks";
import { OnCall } from "./OnCall";
import { PersonPicker } from "../../parts/PersonPicker";
import { instantOfLocal, when } from "../../parts/time";
import { Button, ErrorNote, Field, inputClass, Loading } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { WhenInput } from "../../parts/WhenInput";

/** Who is on shift, away or excluded from assignment; absences to come, one's own and (for leads) all. */
export function WorkingPage() {
  const queries = useQueryClient();
  const teams = useQuery({ queryKey: ["working"], queryFn: () => ok(api.GET("/api/working")), refetchInterval: 30_000 });
  const setAside = useMutation({
    mutationFn: ({ membership, value }: { membership: number; value: boolean }) =>
      ok(api.POST("/api/working/{number}", { params: { path: { number: membership } }, body: { is_set_aside: value } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["working"] }),
    onError: (error) => toast.error(sentence(error)),
  });
  const rotas = useQuery({ queryKey: ["rotas"], queryFn: () => ok(api.GET("/api/rotas")), refetchInterval: 60_000 });
  if (teams.error)
    return (
      <div className="p-6">
        <ErrorNote>{sentence(teams.error)}</ErrorNote>
      </div>
    );
  return (
    <div className="mx-auto grid max-w-[1200px] grid-cols-[minmax(0,1fr)_340px] gap-8 px-5 py-4 max-[900px]:grid-cols-1">
      <div>
        <h1 className="text-[21px] font-bold">Shifts and absences</h1>
        <p className="text-ink-2">Automatic assignment passes over whoever is off shift, away or excluded.</p>
        {teams.data ? null : <Loading what="the teams" />}
        {teams.data?.map((team) => (
          <section key={team.id} className="mt-4">
            <h2 className="font-bold">
              {team.name} <span className="font-normal text-ink-2">gives its work out {team.mode}</span>
            </h2>
            <ul className="grid grid-cols-2 gap-x-6 max-[700px]:grid-cols-1">
              {team.people.map((person) => (
                <li key={person.membership} className="flex items-baseline gap-2 border-b border-line py-1">
                  <span className="min-w-0 flex-1">
                    {person.name}{" "}
                    <span className="text-[13px] text-ink-2">
                      {[person.is_lead ? "lead" : "", person.working_calendar, ...person.skills].filter(Boolean).join(" · ")}
                    </span>
                  </span>
                  <span className={person.is_away || !person.is_on_shift ? "text-ink-2" : "font-bold"}>
                    {person.is_away ? "away" : person.is_on_shift ? "on" : "off shift"}
                  </span>
                  {team.is_mine_to_lead ? (
                    <label className="flex items-center gap-1 text-[13px] text-ink-2">
                      <input
                        type="checkbox"
                        checked={person.is_set_aside}
                        aria-label={`Set ${person.name} aside`}
                        onChange={(event) => setAside.mutate({ membership: person.membership, value: event.target.checked })}
                      />{" "}
                      excluded from assignment
                    </label>
                  ) : person.is_set_aside ? (
                    <span className="text-[13px] text-ink-2">excluded from assignment</span>
                  ) : null}
                </li>
              ))}
            </ul>
            {rotas.data
              ?.filter((one) => one.team === team.id)
              .map((one) => (
                <OnCall key={one.team} rota={one} people={team.people} />
              ))}
          </section>
        ))}
      </div>
      <Absences />
    </div>
  );
}

function Absences() {
  const { me } = useSession();
  const now = useNow();
  const queries = useQueryClient();
  const isLead = me?.roles.some((role) => role === "team lead" || role === "administrator") ?? false;
  const [form, setForm] = useState({ person: 0, name: "", starts: "", ends: "", note: "" });
  const { data } = useQuery({ queryKey: ["absences"], queryFn: () => ok(api.GET("/api/absences")) });
  const readAgain = () => {
    void queries.invalidateQueries({ queryKey: ["absences"] });
    void queries.invalidateQueries({ queryKey: ["working"] });
  };
  const add = useMutation({
    mutationFn: () =>
      ok(
        api.POST("/api/absences", {
          body: {
            person: form.person || null,
            starts_at: new Date(instantOfLocal(form.starts) * 1000).toISOString(),
            ends_at: new Date(instantOfLocal(form.ends) * 1000).toISOString(),
            note: form.note,
          },
        }),
      ),
    onSuccess: () => {
      setForm({ person: 0, name: "", starts: "", ends: "", note: "" });
      readAgain();
    },
  });
  const drop = useMutation({
    mutationFn: (number: number) => ok(api.DELETE("/api/absences/{number}", { params: { path: { number } } })),
    onSuccess: readAgain,
    onError: (error) => toast.error(sentence(error)),
  });
  const fields = add.error instanceof Problem ? add.error.fields : {};
  return (
    <aside aria-label="Absences">
      <h2 className="text-[17px] font-bold">{isLead ? "Absences to come" : "My absences"}</h2>
      {data?.length === 0 ? <p className="text-ink-2">None.</p> : null}
      <ul>
        {data?.map((one) => (
          <li key={one.id} className="flex items-baseline gap-2 border-b border-line py-1">
            <span className="flex-1">
              {isLead ? <b>{one.name} </b> : null}
              {when(one.starts_at_s, now)} – {when(one.ends_at_s, now)} <span className="text-ink-2">{one.note}</span>
            </span>
            <button
              type="button"
              className="min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
              aria-label={`Remove the absence of ${one.name}`}
              onClick={() => drop.mutate(one.id)}
            >
              ×
            </button>
          </li>
        ))}
      </ul>
      <form
        className="mt-3 flex flex-col gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          add.mutate();
        }}
      >
        {isLead ? (
          <PersonPicker
            label="Who (empty: me)"
            takesFocus={false}
            name={form.name}
            onName={(name) => setForm({ ...form, name, person: 0 })}
            onPick={(person) => setForm({ ...form, name: person.name, person: person.id })}
          />
        ) : null}
        <Field label="Away from" error={fields.starts_at}>
          {(props) => (
            <WhenInput
              props={props}

              required

              value={form.starts}
              onChange={(next) => setForm({ ...form, starts: next })}
            />
          )}
        </Field>
        <Field label="Until" error={fields.ends_at}>
          {(props) => (
            <WhenInput
              props={props}

              required

              value={form.ends}
              onChange={(next) => setForm({ ...form, ends: next })}
            />
          )}
        </Field>
        <Field label="Note">
          {(props) => (
            <input
              {...props}
              maxLength={120}
              className={inputClass}
              value={form.note}
              onChange={(event) => setForm({ ...form, note: event.target.value })}
            />
          )}
        </Field>
        {add.error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(add.error)}</ErrorNote> : null}
        <Button type="submit" tone="sea" disabled={add.isPending} className="self-start">
          Add the absence
        </Button>
      </form>
    </aside>
  );
}
