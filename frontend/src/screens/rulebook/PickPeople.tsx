import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok } from "../../api/client";
import { useDebounced } from "../../parts/hooks";
import { useBook } from "./data";
import { options, PickMany } from "./parts";
import { whoOptions } from "./who";

interface PickPeopleProps {
  label: string;
  value: string[];
  onChange: (value: string[]) => void;
}

/** Whom a rule or step means: by what they are to the ticket, by team, or anybody by name, of the desk or not. */
export function PickPeople({ label, value, onChange }: PickPeopleProps) {
  const { words } = useBook();
  const [search, setSearch] = useState("");
  const late = useDebounced(search.trim(), 180);
  const { data } = useQuery({
    queryKey: ["people", late],
    queryFn: () => ok(api.GET("/api/people", { params: { query: { q: late } } })),
    enabled: late.length > 1,
  });
  const known = [...whoOptions(words.roles), ...options(words.teams), ...words.people];
  const found = (data ?? [])
    .filter((person) => person.email && !known.some((one) => one.key === person.email))
    .map((person) => ({ key: person.email, name: `${person.name}, ${person.job}` }));
  return <PickMany label={label} options={[...known, ...found]} value={value} onChange={onChange} onSearch={setSearch} />;
}
