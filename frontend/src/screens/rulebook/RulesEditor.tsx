import { Link } from "react-router";
import { ConditionSentence } from "../../parts/condition/ConditionSentence";
import { ActionsEditor } from "./ActionsEditor";
import { fieldsOf, type Rule, useBook, useEntry } from "./data";
import { EditState, PickMany, TextInput } from "./parts";
import { type SectionSpec, yesNo } from "./section/spec";

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
export const rules: SectionSpec<Rule> = {
  section: "rules",
  title: "Rules",
  one: "rule",
  about: "Each rule sees what the ones above it set. A new rule is off until you turn it on.",
  nameOf: (one) => one.name,
  wordsOf: (one) => one.description ?? "",
  isOff: (one) => one.is_on === false,
  isOrdered: true,
  freshName: "New rule",
  columns: [
    { label: "when", of: (one) => one.when.map((moment) => MOMENTS[moment] ?? moment).join(" or ") },
    { label: "what it is for", of: (one) => one.description ?? "" },
    { label: "then", of: (one) => (one.stop ? "stop here" : "") },
  ],
  bulk: [
    { name: "is_on", label: "on or off", choices: () => yesNo("on", "off"), value: (key) => key === "yes" },
    { name: "stop", label: "stop here", choices: () => yesNo("stop here", "go on"), value: (key) => key === "yes" },
  ],
  fresh: [
    {
      label: "New rule",
      make: (key) => ({
        key,
        name: "New rule",
        description: "",
        when: ["created"],
        if: { all: [] },
        then: [{ do: "tag", tags: ["new rule"] }],
        stop: false,
        is_on: false,
      }),
    },
  ],
  Editor: RuleEditor,
};

function RuleEditor({ stored }: { stored: Rule }) {
  const { words } = useBook();
  const editing = useEntry<Rule>("rules", stored.key, stored);
  const rule = editing.value;
  const set = (change: Partial<Rule>) => editing.set({ ...rule, ...change });
  return (
    <div>
      <EditState editing={editing} />
      <div className="flex flex-wrap gap-3">
        <TextInput
          label="Name of the rule"
          isName
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
        <Link className="why" to="/desk/rulebook/try">
          try it
        </Link>
      </div>
    </div>
  );
}
