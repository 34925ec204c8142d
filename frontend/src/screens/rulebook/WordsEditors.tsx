import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { PersonPicker } from "../../parts/PersonPicker";
import { useBook, useReadAgain } from "./data";
import { entriesOf } from "./edits";
import { Part, PickMany } from "./parts";
import { type Plain, rowSection } from "./section/rowSection";

const STAGES = ["new", "in progress", "looking for the cause", "known error", "waiting", "resolved", "closed", "cancelled"];

export const states = rowSection({
  section: "states",
  title: "States",
  one: "state",
  named: "label",
  isOrdered: true,
  about: "States of your own within a stage. What they mean – open, waiting, done – follows from the stage.",
  properties: [
    { name: "label", label: "label" },
    { name: "stage", label: "within the stage", choices: () => STAGES },
  ],
  fresh: (key) => ({ key, label: "New state", stage: "in progress" }),
});

export const waits = rowSection({
  section: "waits",
  title: "Waiting reasons",
  one: "waiting reason",
  named: "label",
  isOrdered: true,
  about: "What a ticket can wait on, who is to act then, and who may stop the clock for it. Which clocks pause is said in each agreement.",
  properties: [
    { name: "label", label: "label" },
    { name: "on", label: "waits on", choices: () => ["requester", "supplier", "approval", "date"] },
    { name: "who", label: "who may", choices: ({ words }) => words.waiters, isMany: true, placeholder: "everybody of the desk" },
  ],
  fresh: (key) => ({ key, label: "New waiting reason", on: "date" }),
});

export const categories = rowSection({
  section: "categories",
  title: "Categories",
  one: "category",
  named: "key",
  about: "Categories, the team they go to when the service names none, and the skills they ask for.",
  properties: [
    { name: "key", label: "category" },
    { name: "team", label: "team", choices: ({ words }) => words.teams, placeholder: "by the service" },
    { name: "skills", label: "skills, separated by commas" },
  ],
  fresh: (key) => ({ key, skills: [] }),
});

export const groups = rowSection({
  section: "groups",
  title: "Catalogue groups",
  one: "catalogue group",
  named: "key",
  isOrdered: true,
  about: "The groups of items and bundles, in the order in which the portal shows them. A group that is not listed here comes after them.",
  properties: [{ name: "key", label: "group" }],
  fresh: (key) => ({ key }),
});

export const suppliers = rowSection({
  section: "suppliers",
  title: "Suppliers",
  one: "supplier",
  named: "name",
  about: "Suppliers a ticket can wait on; their contracts are agreements.",
  properties: [{ name: "name", label: "name" }],
  fresh: (key) => ({ key, name: "A supplier" }),
});

export const clocks = rowSection({
  section: "clocks",
  title: "Kinds of clock",
  one: "kind of clock",
  named: "label",
  about:
    "Kinds of your own beside those that ship. What starts and stops them are acts: logged, taken, replied, waiting, resolved, reopened…",
  properties: [
    { name: "label", label: "label" },
    { name: "of", label: "of", choices: () => ["customer", "team", "supplier"] },
    { name: "starts", label: "starts when" },
    { name: "stops", label: "stops when" },
  ],
  fresh: (key) => ({ key, label: "New kind of clock", of: "customer", starts: ["logged"], stops: ["resolved"], restarts: [] }),
  below: <ShippedClocks />,
});

function ShippedClocks() {
  const { words } = useBook();
  return <p className="text-ink-2">Shipped: {words.clocks.map((clock) => clock.label || clock.key).join(", ")}.</p>;
}

export const careTiers = rowSection({
  section: "care_tiers",
  title: "Care tiers",
  one: "care tier",
  named: "name",
  isOrdered: true,
  about: "A target share of 0.50 halves the time. Of several tiers the smallest share counts, on SLAs only.",
  properties: [
    { name: "name", label: "name" },
    { name: "share", label: "target share", width: "w-20" },
  ],
  fresh: (key) => ({ key, name: "A care tier", share: "0.75" }),
  below: <TierMembers />,
});

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
