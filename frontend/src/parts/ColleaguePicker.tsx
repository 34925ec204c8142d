import { api, type Colleague, ok } from "../api/client";
import { Finder, type Found } from "./Finder";
import { Field } from "./ui";

interface ColleaguePickerProps {
  label: string;
  help?: string;
  error?: string | undefined;
  name: string;
  onName: (name: string) => void;
  onPick: (person: Pick<Colleague, "id" | "name">) => void;
  takesFocus?: boolean;
}

/** Colleagues by any part of the name: what a telephone list says. */
export function ColleaguePicker({ label, help, error, ...finder }: ColleaguePickerProps) {
  return (
    <Field label={label} help={help} error={error}>
      {(props) => <Finder props={props} what="Colleagues" find={findColleagues} nothing="Nobody is called that." {...finder} />}
    </Field>
  );
}

export async function findColleagues(words: string): Promise<Found[]> {
  const found = await ok(api.GET("/api/colleagues", { params: { query: { q: words } } }));
  return found.map(({ id, name, department, place }) => ({ id, name, note: `${department}, ${place}` }));
}

export async function findThings(words: string): Promise<Found[]> {
  const found = await ok(api.GET("/api/things", { params: { query: { q: words } } }));
  return found.map(({ id, name, kind, place }) => ({ id, name, note: `${kind}, ${place}` }));
}
