import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import { Finder } from "../../parts/Finder";
import { Button, Dialog, Field, inputClass } from "../../parts/ui";
import { findNodes, nodeOf } from "./findNodes";

const STRENGTHS = [
  ["hard", "wholly: it stops with it"],
  ["soft", "partly: it loses half"],
  ["redundant", "one of a group of which one is enough"],
] as const;

/** Saying that a thing stands on another. */
export function AddDependency({ node }: { node: string }) {
  const queries = useQueryClient();
  const [isOpen, setOpen] = useState(false);
  const [on, setOn] = useState({ id: 0, name: "" });
  const [strength, setStrength] = useState<"hard" | "soft" | "redundant">("hard");
  const [group, setGroup] = useState("");
  const [why, setWhy] = useState("");
  const [problem, setProblem] = useState<unknown>(null);
  const fields = problem instanceof Problem ? problem.fields : {};
  const save = async () => {
    try {
      await ok(api.POST("/api/estate/dependencies", { body: { source: node, target: nodeOf(on.id), strength, group, why } }));
      void queries.invalidateQueries({ queryKey: ["item"] });
      void queries.invalidateQueries({ queryKey: ["stops"] });
      toast(`It stands on ${on.name}.`);
      setOn({ id: 0, name: "" });
      setOpen(false);
    } catch (error) {
      setProblem(error);
    }
  };
  return (
    <>
      <p className="mt-1">
        <Button onClick={() => setOpen(true)}>It stands on…</Button>
      </p>
      <Dialog title="What it stands on" isOpen={isOpen} onClose={() => setOpen(false)}>
        <form
          className="flex flex-col gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            void save();
          }}
        >
          <Field label="Service or item" error={fields.on ?? fields.node}>
            {(props) => (
              <Finder
                props={props}
                what="services and items"
                find={findNodes}
                nothing="Nothing is called that."
                name={on.name}
                takesFocus
                onName={(name) => setOn({ id: 0, name })}
                onPick={(found) => setOn({ id: found.id, name: found.name })}
              />
            )}
          </Field>
          <Field label="How strongly">
            {(props) => (
              <select
                {...props}
                className={inputClass}
                value={strength}
                onChange={(event) => setStrength(event.target.value as typeof strength)}
              >
                {STRENGTHS.map(([key, words]) => (
                  <option key={key} value={key}>
                    {words}
                  </option>
                ))}
              </select>
            )}
          </Field>
          {strength === "redundant" ? (
            <Field label="Which group" error={fields.group}>
              {(props) => <input {...props} className={inputClass} value={group} onChange={(event) => setGroup(event.target.value)} />}
            </Field>
          ) : null}
          <Field label="Why, for its history">
            {(props) => <input {...props} className={inputClass} value={why} onChange={(event) => setWhy(event.target.value)} />}
          </Field>
          {problem && Object.keys(fields).length === 0 ? <p className="text-rust">{sentence(problem)}</p> : null}
          <span className="flex justify-end gap-2">
            <Button onClick={() => setOpen(false)}>Cancel</Button>
            <Button type="submit" tone="sea" disabled={!on.id}>
              Save
            </Button>
          </span>
        </form>
      </Dialog>
    </>
  );
}
