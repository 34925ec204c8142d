import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import { type Calendar, fieldsOf, type Routing, useBook, useEntry } from "./data";
import { entriesOf } from "./edits";
import { EditState, moved, options, OrderButtons, Part, PickOne, smallInput, TextInput } from "./parts";

/** Who gets the work: modes, skills, caps, chains – and who is there at this moment. */
export function RoutingEditor() {
  const { document, words } = useBook();
  const editing = useEntry<Routing>("routing", "", document.routing as Routing);
  const routing = editing.value;
  const set = (change: Partial<Routing>) => editing.set({ ...routing, ...change });
  const [open, setOpen] = useState(words.teams[0] ?? "");
  const teams = words.teams.map(
    (team) => routing.teams.find((one) => one.team === team) ?? { team, mode: "by hand", exempt: null, members: [] },
  );
  const setTeam = (team: string, change: Partial<Routing["teams"][number]>) =>
    set({ teams: teams.map((one) => (one.team === team ? { ...one, ...change } : one)) });
  const shown = teams.find((one) => one.team === open) ?? teams[0];
  return (
    <>
      <EditState editing={editing} />
      <p className="text-[16px] leading-8">
        Load counts{" "}
        {Object.entries(routing.weights).map(([priority, weight]) => (
          <label key={priority} className="mr-2">
            {priority}{" "}
            <input
              type="number"
              min={0}
              step={0.5}
              aria-label={`Weight of ${priority}`}
              className={`${smallInput} w-16 font-bold`}
              value={weight}
              onChange={(event) => set({ weights: { ...routing.weights, [priority]: Math.max(0, +event.target.value) } })}
            />
          </label>
        ))}
        and half of it when the move is not ours.
      </p>
      <Part title="Teams">
        <div className="flex flex-wrap gap-1">
          {teams.map((one) => (
            <button
              key={one.team}
              type="button"
              aria-current={one.team === shown?.team}
              onClick={() => setOpen(one.team)}
              className={`rounded-small border px-2 py-0.5 ${one.team === shown?.team ? "border-crown bg-crown-2 font-bold" : "border-line hover:bg-sea-3"}`}
            >
              {one.team}
            </button>
          ))}
        </div>
        {shown ? (
          <div className="mt-2">
            <p className="text-[16px] leading-8">
              {shown.team} gives its work out{" "}
              <PickOne label="Mode" options={options(words.modes)} value={shown.mode} onChange={(mode) => setTeam(shown.team, { mode })} />
              {shown.mode === "by hand" ? "." : ", but keeps for work by hand what is "}
              {shown.mode === "by hand" ? null : (
                <ConditionSentence
                  fields={fieldsOf(words)}
                  tree={shown.exempt ?? { any: [] }}
                  always="nothing"
                  onChange={(tree) =>
                    setTeam(shown.team, {
                      exempt: ("any" in tree && tree.any.length === 0) || ("all" in tree && tree.all.length === 0) ? null : tree,
                    })
                  }
                />
              )}
            </p>
            <Members team={shown} people={words.team_members[shown.team] ?? []} onChange={(members) => setTeam(shown.team, { members })} />
          </div>
        ) : null}
      </Part>
      <Chains routing={routing} onChange={(chains) => set({ chains })} />
    </>
  );
}

type Member = NonNullable<Routing["teams"][number]["members"]>[number];

function Members({
  team,
  people,
  onChange,
}: {
  team: Routing["teams"][number];
  people: { key: string; name: string }[];
  onChange: (members: Member[]) => void;
}) {
  const { data, refetch } = useQuery({ queryKey: ["working"], queryFn: () => ok(api.GET("/api/working")), refetchInterval: 30_000 });
  const now = data?.find((one) => one.name === team.team)?.people ?? [];
  const members = people.map(
    (person) => team.members?.find((one) => one.person === person.key) ?? { person: person.key, skills: [], cap: null },
  );
  const set = (index: number, change: Partial<Member>) => onChange(members.map((old, at) => (at === index ? { ...old, ...change } : old)));
  const { document } = useBook();
  const calendars = entriesOf<Calendar>(document, "calendars");
  const works = (number: number, working_calendar: string) =>
    ok(api.PATCH("/api/people/{number}/served", { params: { path: { number } }, body: { working_calendar } }))
      .then((person) => {
        toast(`${person.name} works by another calendar from now on.`);
        void refetch();
      })
      .catch((error: unknown) => toast.error(sentence(error)));
  const aside = (membership: number, is_set_aside: boolean) =>
    ok(api.POST("/api/working/{number}", { params: { path: { number: membership } }, body: { is_set_aside } }))
      .then(() => void refetch())
      .catch((error: unknown) => toast.error(sentence(error)));
  return (
    <table className="mt-1 w-full">
      <thead>
        <tr className="border-b border-line text-left text-ink-2">
          <th scope="col" className="py-1 font-normal">
            person
          </th>
          <th scope="col" className="py-1 font-normal">
            skills
          </th>
          <th scope="col" className="py-1 font-normal">
            at most
          </th>
          <th scope="col" className="py-1 font-normal">
            works
          </th>
          <th scope="col" className="py-1 font-normal">
            now
          </th>
          <th scope="col" className="py-1 font-normal">
            excluded from assignment
          </th>
        </tr>
      </thead>
      <tbody>
        {members.map((member, index) => {
          const worker = now.find((one) => one.email === member.person);
          return (
            <tr key={member.person} className="border-b border-line">
              <td className="py-1 pr-3">
                {people[index]?.name}
                {worker?.is_lead ? <span className="text-ink-2"> lead</span> : null}
              </td>
              <td className="py-1 pr-3">
                <TextInput
                  label={`Skills of ${people[index]?.name ?? ""}`}
                  className={`${smallInput} w-40`}
                  placeholder="none"
                  value={(member.skills ?? []).join(", ")}
                  onChange={(text) =>
                    set(index, {
                      skills: text
                        .split(",")
                        .map((one) => one.trim())
                        .filter(Boolean),
                    })
                  }
                />
              </td>
              <td className="py-1 pr-3">
                <input
                  type="number"
                  min={0}
                  aria-label={`Cap of ${people[index]?.name ?? ""}`}
                  className={`${smallInput} w-16`}
                  placeholder="–"
                  value={member.cap ?? ""}
                  onChange={(event) => set(index, { cap: event.target.value === "" ? null : +event.target.value })}
                />
              </td>
              <td className="py-1 pr-3">
                {worker ? (
                  <select
                    className={`${smallInput} w-32`}
                    aria-label={`Working calendar of ${worker.name}`}
                    value={calendars.find((one) => one.name === worker.working_calendar)?.key ?? ""}
                    onChange={(event) => void works(worker.id, event.target.value)}
                  >
                    <option value="">all hours</option>
                    {calendars.map((one) => (
                      <option key={one.key} value={one.key}>
                        {one.name}
                      </option>
                    ))}
                  </select>
                ) : null}
              </td>
              <td className="py-1 pr-3">{worker?.is_away ? "away" : worker?.is_on_shift ? "on" : "off shift"}</td>
              <td className="py-1">
                {worker ? (
                  <input
                    type="checkbox"
                    aria-label={`Set ${worker.name} aside from automatic assignment`}
                    checked={worker.is_set_aside}
                    onChange={(event) => void aside(worker.membership, event.target.checked)}
                  />
                ) : null}
              </td>
            </tr>
          );
        })}
      </tbody>
      <caption className="caption-bottom pt-1 text-left text-[12px] text-ink-2">
        Skills and caps are part of the draft. Working calendars, and who is excluded or away, count at once; absences are under{" "}
        <Link className="underline" to="/desk/working">
          Shifts and absences
        </Link>
        .
      </caption>
    </table>
  );
}

function Chains({ routing, onChange }: { routing: Routing; onChange: (chains: Routing["chains"]) => void }) {
  const { words } = useBook();
  return (
    <Part title="Support chains: where a ticket goes when it is escalated">
      <table className="w-full">
        <tbody>
          {words.services.map((service) => {
            const teams = routing.chains.find((one) => one.service === service)?.teams ?? [];
            const set = (next: string[]) =>
              onChange(
                [...routing.chains.filter((one) => one.service !== service), ...(next.length > 0 ? [{ service, teams: next }] : [])].sort(
                  (one, other) => one.service.localeCompare(other.service),
                ),
              );
            return (
              <tr key={service} className="border-b border-line">
                <th scope="row" className="w-44 py-1 pr-3 text-left font-normal">
                  {service}
                </th>
                <td className="py-1">
                  <span className="flex flex-wrap items-center gap-1">
                    {teams.map((team, index) => (
                      <span key={team} className="inline-flex items-center rounded-small border border-line pl-2">
                        {index + 1}. {team}
                        <OrderButtons index={index} count={teams.length} name={team} onMove={(to) => set(moved(teams, index, to))} />
                        <button
                          type="button"
                          aria-label={`Take ${team} out of the chain of ${service}`}
                          className="px-1 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
                          onClick={() => set(teams.filter((one) => one !== team))}
                        >
                          ×
                        </button>
                      </span>
                    ))}
                    <select
                      aria-label={`Add a team to the chain of ${service}`}
                      className={smallInput}
                      value=""
                      onChange={(event) => set([...teams, event.target.value])}
                    >
                      <option value="">+ then…</option>
                      {words.teams
                        .filter((team) => !teams.includes(team))
                        .map((team) => (
                          <option key={team}>{team}</option>
                        ))}
                    </select>
                  </span>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </Part>
  );
}
