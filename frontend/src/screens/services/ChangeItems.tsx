import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useChoices } from "../../parts/choices";
import { Finder } from "../../parts/Finder";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { findPeople } from "./findNodes";
import { CRITICALITIES, LIVES } from "./words";

type Row = components["schemas"]["ItemRowShapeRequest"];
type Done = components["schemas"]["ChangedItemsShape"];

const FACTS = [
  ["life", "Life"],
  ["team", "Team"],
  ["owner", "Technical owner"],
  ["service", "Service"],
  ["place", "Place"],
  ["criticality", "How vital"],
] as const;
type Fact = (typeof FACTS)[number][0];

const send = (rows: Row[], why: string) => ok(api.POST("/api/estate/items/many", { body: { rows, why } }));
const counted = (count: number) => (count === 1 ? "1 item" : `${count.toLocaleString("en-GB")} items`);

interface ItemsProps {
  items: { id: number; name: string }[];
  onClose: () => void;
  onDone: () => void;
}

/** One fact of several items, changed at once with why; each that cannot be is named, and all can be undone. */
export function ChangeItems({ items, onClose, onDone }: ItemsProps) {
  const queries = useQueryClient();
  const choices = useChoices();
  const { data: teams } = useQuery({ queryKey: ["teams"], queryFn: () => ok(api.GET("/api/teams")), staleTime: 60_000 });
  const [fact, setFact] = useState<Fact>("life");
  const [value, setValue] = useState("in use");
  const [name, setName] = useState("");
  const [why, setWhy] = useState("");
  const [problem, setProblem] = useState<unknown>(null);
  const [refused, setRefused] = useState<Done["refused"]>([]);
  const [isBusy, setBusy] = useState(false);
  const fields = problem instanceof Problem ? problem.fields : {};
  const isLost = fact === "owner" && name.trim() !== "" && value === "";
  const meant = fact === "place" || fact === "life" ? value : value === "" ? null : Number(value);
  const again = () => {
    for (const key of ["estate-items", "item", "map", "services"]) void queries.invalidateQueries({ queryKey: [key] });
  };
  const undo = async (done: Done) => {
    try {
      const back = await send(
        done.before.map((row) => ({ ...row, seen: { [fact]: meant } })),
        "taken back",
      );
      toast(
        back.refused.length === 0
          ? `${counted(back.before.length)} as before.`
          : `${counted(back.before.length)} as before; ${counted(back.refused.length)} changed by somebody else meanwhile.`,
      );
      again();
    } catch (error) {
      toast.error(sentence(error));
    }
  };
  const save = async () => {
    if (isLost) return;
    setBusy(true);
    setProblem(null);
    try {
      const done = await send(
        items.map(({ id }) => ({ id, [fact]: meant })),
        why,
      );
      again();
      if (done.before.length > 0)
        toast(`${counted(done.before.length)} changed.`, { action: { label: "Undo", onClick: () => void undo(done) } });
      setRefused(done.refused);
      if (done.refused.length === 0) {
        onDone();
        onClose();
      }
    } catch (error) {
      setProblem(error);
    } finally {
      setBusy(false);
    }
  };
  const options: [string, string][] =
    fact === "life"
      ? LIVES.map((one) => [one, one])
      : fact === "criticality"
        ? CRITICALITIES.map((one, index) => [String(index + 1), one])
        : [
            ["", "None"],
            ...((fact === "team" ? teams : choices?.services) ?? []).map((one): [string, string] => [String(one.id), one.name]),
          ];
  const label = FACTS.find(([key]) => key === fact)?.[1] ?? "";
  return (
    <Dialog
      title={`Change ${counted(items.length)}`}
      about={
        items
          .slice(0, 6)
          .map((one) => one.name)
          .join(", ") + (items.length > 6 ? " …" : "")
      }
      isOpen
      onClose={onClose}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy) void save();
        }}
      >
        <Field label="What is changed">
          {(props) => (
            <select
              {...props}
              className={inputClass}
              value={fact}
              onChange={(event) => {
                const next = event.target.value as Fact;
                setFact(next);
                setName("");
                setValue(next === "life" ? "in use" : next === "criticality" ? "3" : "");
              }}
            >
              {FACTS.map(([key, words]) => (
                <option key={key} value={key}>
                  {words}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label={label} error={isLost ? "Choose somebody from the list, or leave this empty." : fields[fact]}>
          {(props) =>
            fact === "owner" ? (
              <Finder
                props={props}
                what="people"
                find={findPeople}
                nothing="Nobody is called that."
                name={name}
                onName={(typed) => {
                  setName(typed);
                  setValue("");
                }}
                onPick={(found) => {
                  setName(found.name);
                  setValue(String(found.id));
                }}
              />
            ) : fact === "place" ? (
              <input {...props} maxLength={80} className={inputClass} value={value} onChange={(event) => setValue(event.target.value)} />
            ) : (
              <select {...props} className={inputClass} value={value} onChange={(event) => setValue(event.target.value)}>
                {options.map(([key, words]) => (
                  <option key={key} value={key}>
                    {words}
                  </option>
                ))}
              </select>
            )
          }
        </Field>
        <Field label="Why they change" error={fields.why} help="It stays in the history of each.">
          {(props) => (
            <input {...props} maxLength={500} className={inputClass} value={why} onChange={(event) => setWhy(event.target.value)} />
          )}
        </Field>
        {problem && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(problem)}</ErrorNote> : null}
        {refused.length > 0 ? (
          <ErrorNote>
            Not changed:{" "}
            {refused
              .slice(0, 8)
              .map((one) => `${one.name || one.id} – ${one.why}`)
              .join("; ")}
            {refused.length > 8 ? ` and ${refused.length - 8} more` : ""}
          </ErrorNote>
        ) : null}
        <span className="flex justify-end gap-2">
          <Button onClick={onClose}>{refused.length > 0 ? "Close" : "Cancel"}</Button>
          <Button type="submit" tone="sea" disabled={isBusy}>
            Change {counted(items.length)}
          </Button>
        </span>
      </form>
    </Dialog>
  );
}
