import type { FieldAbout } from "../../api/client";
import { type Action, useBook } from "./data";
import { entriesOf } from "./edits";
import { type Message, messageName } from "./MessagesEditor";
import { moved, options, OrderButtons, PickMany, PickOne, smallInput, TextInput } from "./parts";
import { PickPeople } from "./PickPeople";

const NAMES: Record<string, string> = {
  set: "set a field",
  "assign team": "give it to a team",
  "assign person": "give it to a person",
  follow: "add followers",
  tasks: "add tasks",
  tag: "add tags",
  notify: "tell somebody",
  note: "leave a note",
  "suggest major": "suggest it as a major incident",
  child: "open a child record",
  webhook: "post it to another system",
  close: "close it with a message",
  "offer articles": "offer the requester fitting articles",
  page: "page whoever is on call",
};

const EMPTY: Record<string, Action> = {
  set: { do: "set", field: "", value: "" },
  "assign team": { do: "assign team", team: "" },
  "assign person": { do: "assign person", person: "" },
  follow: { do: "follow", who: [] },
  tasks: { do: "tasks", tasks: [] },
  tag: { do: "tag", tags: [] },
  notify: { do: "notify", who: [], message: "" },
  note: { do: "note", text: "" },
  "suggest major": { do: "suggest major" },
  child: { do: "child", title: "" },
  webhook: { do: "webhook", hook: "" },
  close: { do: "close", message: "" },
  "offer articles": { do: "offer articles", message: "" },
  page: { do: "page", team: "" },
};

interface ActionsEditorProps {
  actions: Action[];
  onChange: (actions: Action[]) => void;
  /** Escalation steps assign nobody: a hand-over has its own act. */
  without?: string[];
}

/** What a rule or step does: sentences whose words are the controls. */
export function ActionsEditor({ actions, onChange, without = [] }: ActionsEditorProps) {
  const { words } = useBook();
  const kinds = Object.keys(words.actions).filter((name) => !without.includes(name));
  return (
    <div>
      <ul className="flex flex-col gap-1.5">
        {actions.map((action, index) => (
          <li key={index} className="flex items-start gap-2">
            <span className="flex-1 leading-7">
              {index > 0 ? <span className="text-ink-2">and </span> : null}
              <ActionWords action={action} onChange={(next) => onChange(actions.map((old, at) => (at === index ? next : old)))} />
            </span>
            <OrderButtons
              index={index}
              count={actions.length}
              name={NAMES[action.do] ?? action.do}
              onMove={(to) => onChange(moved(actions, index, to))}
            />
            <button
              type="button"
              className="px-1 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
              aria-label={`Remove: ${NAMES[action.do] ?? action.do}`}
              onClick={() => onChange(actions.filter((_, at) => at !== index))}
            >
              ×
            </button>
          </li>
        ))}
      </ul>
      <label className="mt-1.5 inline-flex items-center gap-2 text-ink-2">
        <span className="sr-only">Add something to do</span>
        <select
          className={smallInput}
          value=""
          onChange={(event) => onChange([...actions, { ...(EMPTY[event.target.value] ?? { do: event.target.value }) }])}
        >
          <option value="">+ do…</option>
          {kinds.map((kind) => (
            <option key={kind} value={kind}>
              {NAMES[kind] ?? kind}
            </option>
          ))}
        </select>
      </label>
    </div>
  );
}

function ActionWords({ action, onChange }: { action: Action; onChange: (action: Action) => void }) {
  const { words, document } = useBook();
  const set = (change: Partial<Action>) => onChange({ ...action, ...change });
  const messages = entriesOf<Message>(document, "messages").map((one) => ({ key: one.key, name: messageName(one) }));
  switch (action.do) {
    case "set":
      return <SetWords action={action} onChange={onChange} />;
    case "assign team":
      return (
        <>
          give it to the team{" "}
          <PickOne label="Team" options={options(words.teams)} value={action.team ?? ""} onChange={(team) => set({ team })} />
        </>
      );
    case "assign person":
      return (
        <>
          give it to <PickOne label="Person" options={words.people} value={action.person ?? ""} onChange={(person) => set({ person })} />
        </>
      );
    case "follow":
      return (
        <>
          let <PickPeople label="Followers" value={action.who ?? []} onChange={(next) => set({ who: next })} /> follow
        </>
      );
    case "notify":
      return (
        <>
          tell <PickPeople label="Whom to tell" value={action.who ?? []} onChange={(next) => set({ who: next })} /> with{" "}
          <PickOne label="Message" options={messages} value={action.message ?? ""} onChange={(message) => set({ message })} />
        </>
      );
    case "tasks":
      return (
        <>
          add the tasks of{" "}
          <PickMany
            label="Task templates"
            placeholder="choose…"
            options={entriesOf<{ key: string; name: string }>(document, "tasks").map(({ key, name }) => ({ key, name }))}
            value={action.tasks ?? []}
            onChange={(tasks) => set({ tasks })}
          />
        </>
      );
    case "tag":
      return (
        <>
          tag it{" "}
          <TextInput
            label="Tags, separated by commas"
            className={`${smallInput} w-48`}
            placeholder="one, another"
            value={(action.tags ?? []).join(", ")}
            onChange={(text) =>
              set({
                tags: text
                  .split(",")
                  .map((tag) => tag.trim())
                  .filter(Boolean),
              })
            }
          />
        </>
      );
    case "note":
      return (
        <>
          leave the note{" "}
          <TextInput label="Note" className={`${smallInput} w-full`} value={action.text ?? ""} onChange={(text) => set({ text })} />
        </>
      );
    case "child":
      return (
        <>
          open a child record{" "}
          <TextInput
            label="Title of the child record"
            className={`${smallInput} w-64`}
            value={action.title ?? ""}
            onChange={(title) => set({ title })}
          />{" "}
          about{" "}
          <PickOne
            label="Service of the child"
            options={[{ key: "", name: "the same service" }, ...options(words.services)]}
            value={action.service ?? ""}
            onChange={(service) => set({ service })}
          />
        </>
      );
    case "webhook":
      return (
        <>
          post it to{" "}
          <PickOne
            label="Webhook"
            options={entriesOf<{ key: string; name: string }>(document, "hooks").map(({ key, name }) => ({ key, name }))}
            value={action.hook ?? ""}
            onChange={(hook) => set({ hook })}
          />
        </>
      );
    case "close":
      return (
        <>
          close it with <PickOne label="Message" options={messages} value={action.message ?? ""} onChange={(message) => set({ message })} />
        </>
      );
    case "offer articles":
      return (
        <>
          offer the requester up to three articles that surely fit, with{" "}
          <PickOne label="Message" options={messages} value={action.message ?? ""} onChange={(message) => set({ message })} />
        </>
      );
    case "page":
      return (
        <>
          page whoever is on call for{" "}
          <PickOne
            label="Team to page"
            options={[{ key: "", name: "its team" }, ...options(words.teams)]}
            value={action.team ?? ""}
            onChange={(team) => set({ team })}
          />
        </>
      );
    default:
      return <>{NAMES[action.do] ?? action.do}</>;
  }
}

function SetWords({ action, onChange }: { action: Action; onChange: (action: Action) => void }) {
  const { words } = useBook();
  const settable = words.fields.filter((field) => field.settable);
  const field = settable.find((one) => one.name === action.field);
  return (
    <>
      set{" "}
      <PickOne
        label="Field"
        options={settable.map((one) => ({ key: one.name, name: one.label }))}
        value={action.field ?? ""}
        onChange={(name) => onChange({ ...action, field: name, value: firstValue(settable.find((one) => one.name === name)) })}
      />{" "}
      to <ValueWords field={field} value={action.value} onChange={(value) => onChange({ ...action, value })} />
    </>
  );
}

function firstValue(field: FieldAbout | undefined): unknown {
  if (field?.type === "yes/no") return true;
  if (field?.type === "number") return 1;
  return field?.choices[0] ?? "";
}

function ValueWords({ field, value, onChange }: { field: FieldAbout | undefined; value: unknown; onChange: (value: unknown) => void }) {
  if (!field) return <span className="text-ink-2">…</span>;
  if (field.type === "yes/no")
    return (
      <PickOne label="Value" options={options(["yes", "no"])} value={value ? "yes" : "no"} onChange={(next) => onChange(next === "yes")} />
    );
  if (field.choices.length > 0)
    return <PickOne label="Value" options={options(field.choices)} value={typeof value === "string" ? value : ""} onChange={onChange} />;
  const isNumber = field.type === "number";
  return (
    <TextInput
      label="Value"
      className={`${smallInput} ${isNumber ? "w-16" : "w-48"}`}
      value={typeof value === "string" || typeof value === "number" ? String(value) : ""}
      onChange={(text) => onChange(isNumber && text.trim() !== "" && !Number.isNaN(+text) ? +text : text)}
    />
  );
}
