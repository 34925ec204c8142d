import { GripVertical } from "lucide-react";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import { Button, Empty } from "../../parts/ui";
import { ActionsEditor } from "./ActionsEditor";
import { fieldsOf, type Rule, useBook, useEdit, useEntry } from "./data";
import { keyFrom } from "./edits";
import { entriesOf } from "./edits";
import { EditState, OrderButtons, PickMany, TextInput } from "./parts";

const MOMENTS: Record<string, string> = {
  created: "it is created",
  updated: "it is updated",
  "requester replied": "the requester replies",
  "state changed": "its state changes",
  "approval decided": "an approval is answered",
  "task changed": "a task changes",
  "child changed": "a child record changes",
  "linked changed": "a linked record changes",
  "clock step": "an escalation step runs",
};

/** Rules are sentences: when, if, then – run from the top, in one pass. */
export function RulesEditor() {
  const { document } = useBook();
  const [params, setParams] = useSearchParams();
  const [dragged, setDragged] = useState<string | null>(null);
  const edit = useEdit();
  const rules = entriesOf<Rule>(document, "rules");
  const open = params.get("open");
  const move = (rule: Rule, to: number) => edit.mutate({ section: "rules", key: rule.key, before: rule, after: rule, position: to });
  const add = () => {
    const key = keyFrom(
      "New rule",
      rules.map((rule) => rule.key),
    );
    const after: Rule = {
      key,
      name: "New rule",
      description: "",
      when: ["created"],
      if: { all: [] },
      then: [{ do: "tag", tags: ["new rule"] }],
      stop: false,
      is_on: false,
    };
    edit.mutate({ section: "rules", key, before: null, after }, { onSuccess: () => setParams({ open: key }) });
  };
  return (
    <>
      <div className="flex items-baseline justify-between gap-3">
        <p className="text-ink-2">Each rule sees what the ones above it set. A new rule is off until you turn it on.</p>
        <Button onClick={add}>New rule</Button>
      </div>
      {rules.length === 0 ? (
        <Empty title="There are no rules">Tickets follow the matrix, the routing and the agreements alone.</Empty>
      ) : null}
      <ol className="mt-2">
        {rules.map((rule, index) => (
          <li
            key={rule.key}
            onDragOver={(event) => (dragged ? event.preventDefault() : undefined)}
            onDrop={() => {
              const from = rules.find((one) => one.key === dragged);
              if (from && from.key !== rule.key) move(from, index);
              setDragged(null);
            }}
            className={`border-b border-line ${dragged === rule.key ? "opacity-40" : ""}`}
          >
            <div className="flex items-center gap-2 py-1.5">
              <span
                draggable
                onDragStart={() => setDragged(rule.key)}
                onDragEnd={() => setDragged(null)}
                className="cursor-grab text-ink-3"
                title="Drag to another place"
              >
                <GripVertical size={15} aria-hidden="true" />
              </span>
              <span className="w-5 text-right text-ink-2">{index + 1}</span>
              <button
                type="button"
                className="flex-1 text-left hover:underline"
                aria-expanded={open === rule.key}
                onClick={() => setParams(open === rule.key ? {} : { open: rule.key })}
              >
                <b className={rule.is_on === false ? "font-normal text-ink-2" : ""}>{rule.name}</b>{" "}
                <span className="text-ink-2">
                  {rule.is_on === false ? "off · " : ""}
                  {rule.description}
                </span>
              </button>
              {rule.stop ? <span className="rounded border border-line-2 px-1.5 text-[12px] text-ink-2">stops here</span> : null}
              <OrderButtons index={index} count={rules.length} name={rule.name} onMove={(to) => move(rule, to)} />
            </div>
            {open === rule.key ? <RuleEditor key={rule.key} stored={rule} onGone={() => setParams({})} /> : null}
          </li>
        ))}
      </ol>
    </>
  );
}

function RuleEditor({ stored, onGone }: { stored: Rule; onGone: () => void }) {
  const { words } = useBook();
  const editing = useEntry<Rule>("rules", stored.key, stored);
  const edit = useEdit();
  const rule = editing.value;
  const set = (change: Partial<Rule>) => editing.set({ ...rule, ...change });
  return (
    <div className="mb-3 ml-9 rounded-card border border-line bg-paper px-4 py-3">
      <EditState editing={editing} />
      <div className="flex flex-wrap gap-3">
        <TextInput
          label="Name of the rule"
          className="w-64 rounded-small border border-line-2 bg-sheet px-2 py-1 font-bold"
          value={rule.name}
          onChange={(name) => set({ name })}
        />
        <TextInput
          label="What it is for"
          placeholder="What it is for"
          className="min-w-0 flex-1 rounded-small border border-line-2 bg-sheet px-2 py-1"
          value={rule.description ?? ""}
          onChange={(description) => set({ description })}
        />
      </div>
      <p className="mt-2 text-[16px] leading-[29px]">
        <span className="text-ink-2">When </span>
        <PickMany
          label="When"
          joiner="or"
          placeholder="never"
          options={words.moments.map((key) => ({ key, name: MOMENTS[key] ?? key }))}
          value={rule.when}
          onChange={(when) => set({ when })}
        />
      </p>
      <p className="text-[16px] leading-[29px]">
        <span className="text-ink-2">if </span>
        <ConditionSentence fields={fieldsOf(words)} tree={rule.if} always="always" onChange={(tree) => set({ if: tree })} />
      </p>
      <div className="flex gap-2 text-[16px]">
        <span className="leading-7 text-ink-2">then</span>
        <div className="min-w-0 flex-1">
          <ActionsEditor actions={rule.then} onChange={(then) => set({ then })} />
        </div>
      </div>
      <div className="mt-3 flex flex-wrap items-center gap-4 border-t border-line pt-2">
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={rule.is_on !== false} onChange={(event) => set({ is_on: event.target.checked })} /> on
        </label>
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={rule.stop === true} onChange={(event) => set({ stop: event.target.checked })} /> stop here: rules
          below do not run
        </label>
        <span className="flex-1" />
        <Button
          tone="quiet"
          onClick={() => edit.mutate({ section: "rules", key: rule.key, before: stored, after: null }, { onSuccess: onGone })}
        >
          Remove
        </Button>
        <Link className="why" to="/desk/rulebook/try">
          try it
        </Link>
      </div>
    </div>
  );
}
