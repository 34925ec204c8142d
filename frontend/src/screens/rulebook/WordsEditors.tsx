import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { PersonPicker } from "../../parts/PersonPicker";
import { useBook, useReadAgain } from "./data";
import { entriesOf } from "./edits";
import { Part, PickMany } from "./parts";
import { type Plain, TableEditor } from "./TableEditor";

const STAGES = ["new", "in progress", "waiting", "resolved", "closed", "cancelled"];

export function StatesEditor() {
  return (
    <TableEditor
      section="states"
      named="state"
      about="States of your own within a stage. What they mean – open, waiting, done – follows from the stage."
      columns={[
        { name: "label", label: "label" },
        { name: "stage", label: "within the stage", choices: STAGES },
      ]}
      fresh={(key) => ({ key, label: key.replaceAll("-", " "), stage: "in progress" })}
    />
  );
}

export function WaitsEditor() {
  const { words } = useBook();
  return (
    <TableEditor
      section="waits"
      named="waiting reason"
      about="What a ticket can wait on, whose move it is then, and who may stop the clock for it. Which clocks pause is said in each agreement."
      columns={[
        { name: "label", label: "label" },
        { name: "on", label: "waits on", choices: ["requester", "supplier", "approval", "date"] },
        { name: "who", label: "who may", choices: words.waiters, isMany: true, placeholder: "everybody of the desk" },
      ]}
      fresh={(key) => ({ key, label: "something else", on: "date" })}
    />
  );
}

export function CategoriesEditor() {
  const { words } = useBook();
  return (
    <TableEditor
      section="categories"
      named="category"
      about="Categories, the team they go to when the service names none, and the skills they ask for."
      columns={[
        { name: "key", label: "category" },
        { name: "team", label: "team", choices: words.teams, placeholder: "by the service" },
        { name: "skills", label: "skills, separated by commas" },
      ]}
      fresh={(key) => ({ key, skills: [] })}
    />
  );
}

export function SuppliersEditor() {
  return (
    <TableEditor
      section="suppliers"
      named="supplier"
      about="Suppliers a ticket can wait on; their contracts are agreements."
      columns={[{ name: "name", label: "name" }]}
      fresh={(key) => ({ key, name: "A supplier" })}
    />
  );
}

export function ClocksEditor() {
  const { words } = useBook();
  return (
    <>
      <p className="mb-3 text-ink-2">Shipped: {words.clocks.map((clock) => clock.label || clock.key).join(", ")}. More of your own:</p>
      <TableEditor
        section="clocks"
        named="kind of clock"
        about="What starts and stops it are acts: logged, taken, replied, waiting, resolved, reopened…"
        columns={[
          { name: "label", label: "label" },
          { name: "of", label: "of", choices: ["customer", "team", "supplier"] },
          { name: "starts", label: "starts when" },
          { name: "stops", label: "stops when" },
        ]}
        fresh={(key) => ({ key, label: key.replaceAll("-", " "), of: "customer", starts: ["logged"], stops: ["resolved"], restarts: [] })}
      />
    </>
  );
}

export function CareTiersEditor() {
  return (
    <>
      <TableEditor
        section="care_tiers"
        named="care tier"
        about="A target share of 0.50 halves the time. Of several tiers the smallest share counts, on customer agreements only."
        columns={[
          { name: "name", label: "name" },
          { name: "share", label: "target share", width: "w-20" },
        ]}
        fresh={(key) => ({ key, name: "A care tier", share: "0.75" })}
      />
      <TierMembers />
    </>
  );
}

/** Who is in which tier: this is not part of the draft, it counts at once. */
function TierMembers() {
  const { document } = useBook();
  const readAgain = useReadAgain();
  const [name, setName] = useState("");
  const tiers = entriesOf<Plain & { name: string }>(document, "care_tiers");
  const { data, refetch } = useQuery({ queryKey: ["tiers"], queryFn: () => ok(api.GET("/api/tiers")) });
  const serve = (number: number, care_tiers: string[]) =>
    ok(api.PATCH("/api/people/{number}/served", { params: { path: { number } }, body: { care_tiers } }))
      .then((person) => {
        toast(`${person.name}: ${person.retargeted} open tickets with new targets.`);
        void refetch();
        readAgain();
      })
      .catch((error: unknown) => toast.error(sentence(error)));
  return (
    <Part title="Who is in them (counts at once, also for what they have open)">
      <ul className="max-h-80 overflow-y-auto">
        {data?.map((person) => (
          <li key={person.id} className="flex items-baseline gap-3 border-b border-line py-1">
            <span className="w-64">
              <b>{person.name}</b> <span className="text-ink-2">{person.job}</span>
            </span>
            <PickMany
              label={`Care tiers of ${person.name}`}
              placeholder="none"
              options={tiers.map((tier) => ({ key: tier.key, name: tier.name }))}
              value={person.care_tiers}
              onChange={(next) => void serve(person.id, next)}
            />
          </li>
        ))}
      </ul>
      <div className="mt-2 max-w-sm">
        <PersonPicker
          label="Add somebody"
          takesFocus={false}
          name={name}
          onName={setName}
          onPick={(person) => {
            setName("");
            const first = tiers[0];
            if (first) void serve(person.id, [first.key]);
          }}
        />
      </div>
    </Part>
  );
}
