import { useQuery } from "@tanstack/react-query";
import { api, ok } from "../api/client";
import type { components } from "../api/schema";
import { useNow } from "./hooks";
import { when } from "./time";
import { inputClass } from "./ui";

export type Member = components["schemas"]["LoadShape"];

/** Whether somebody is on, and if not, when they are back. */
export function standing(person: Member, now: number): string {
  if (person.away_until_s) return `away until ${when(person.away_until_s, now)}`;
  if (!person.is_on) return person.next_on_s ? `back ${when(person.next_on_s, now)}` : "off";
  return [person.is_here ? "here" : "on", person.is_set_aside ? "excluded from assignment" : ""].filter(Boolean).join(", ");
}

/** The people of a team: who is on first, with how much each has. */
function useMembers(team: number | null) {
  return useQuery({
    queryKey: ["members", team],
    queryFn: () => ok(api.GET("/api/teams/{team}/people", { params: { path: { team: team ?? 0 } } })),
    enabled: team !== null && team > 0,
    staleTime: 30_000,
  });
}

interface MemberSelectProps {
  team: number | null;
  value: string;
  onChange: (person: string) => void;
  /** What choosing nobody means. */
  nobody: string;
  props?: { id?: string; "aria-invalid"?: true; "aria-describedby"?: string; "aria-label"?: string };
}

/** Somebody of a team, each with shift and load, so that one need not ask who has room. */
export function MemberSelect({ team, value, onChange, nobody, props = {} }: MemberSelectProps) {
  const now = useNow();
  const { data } = useMembers(team);
  return (
    <select {...props} className={inputClass} value={value} disabled={!team} onChange={(event) => onChange(event.target.value)}>
      <option value="">{nobody}</option>
      {data?.map((one) => (
        <option key={one.id} value={one.id}>
          {one.name} · {standing(one, now)} · load {one.load}
          {one.late ? ` · ${one.late} overdue` : ""}
          {one.cap && one.open >= one.cap ? " · full" : ""}
        </option>
      ))}
    </select>
  );
}
