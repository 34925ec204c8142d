import { type Entry, type Form, type Question, useBook, useEntry } from "./data";
import { entriesOf } from "./edits";
import { FormPreview } from "./FormPreview";
import { EditState, options, PickMany, PickOne, smallInput, TextInput } from "./parts";
import type { SectionSpec } from "./section/spec";

interface Template extends Entry {
  name: string;
  kind?: string;
  category?: string;
  form?: string;
  prefill?: Record<string, unknown>;
  hide?: string[];
  require?: string[];
  tasks?: string[];
  follow_ups?: { as: string; text: string }[];
}

export const templates: SectionSpec<Template> = {
  section: "templates",
  title: "Templates",
  one: "template",
  about: "A template prefills, hides and requires fields of a form, brings tasks, and keeps a note or reply ready.",
  nameOf: (one) => one.name,
  freshName: "New template",
  columns: [
    {
      label: "form",
      of: (one, { document }) => entriesOf<Form>(document, "forms").find((form) => form.key === one.form)?.name ?? "that applies",
    },
    { label: "category", of: (one) => one.category || "by the service" },
  ],
  bulk: [
    { name: "form", label: "form", choices: ({ document }) => entriesOf<Form>(document, "forms").map(({ key, name }) => ({ key, name })) },
    {
      name: "category",
      label: "category",
      choices: ({ document }) => options(entriesOf(document, "categories").map((entry) => entry.key)),
    },
  ],
  fresh: [
    {
      label: "New template",
      make: (key) => ({
        key,
        name: "New template",
        kind: "incident",
        category: "",
        form: "",
        prefill: {},
        hide: [],
        require: [],
        tasks: [],
        follow_ups: [],
      }),
    },
  ],
  Editor: TemplateEditor,
};

function TemplateEditor({ stored }: { stored: Template }) {
  const { document, words } = useBook();
  const editing = useEntry<Template>("templates", stored.key, stored);
  const one = editing.value;
  const set = (change: Partial<Template>) => editing.set({ ...one, ...change });
  const forms = entriesOf<Form>(document, "forms");
  const form = forms.find((entry) => entry.key === one.form);
  const fields = (form?.fields ?? []).map(({ field }) => ({
    key: field,
    name: words.form_fields.find((entry) => entry.key === field)?.name ?? field,
  }));
  const followUps = one.follow_ups ?? [];
  return (
    <article>
      <EditState editing={editing} />
      <p className="leading-8">
        <TextInput
          label="Name of the template"
          isName
          className={`${smallInput} w-48 font-bold`}
          value={one.name}
          onChange={(name) => set({ name })}
        />{" "}
        on the form{" "}
        <PickOne
          label="Form"
          placeholder="that applies"
          options={forms.map(({ key, name }) => ({ key, name }))}
          value={one.form ?? ""}
          onChange={(next) => set({ form: next })}
        />
        , category{" "}
        <PickOne
          label="Category"
          placeholder="by the service"
          options={options(["", ...entriesOf(document, "categories").map((entry) => entry.key)])}
          value={one.category ?? ""}
          onChange={(category) => set({ category })}
        />
        , hides <PickMany label="Hidden" placeholder="nothing" options={fields} value={one.hide ?? []} onChange={(hide) => set({ hide })} />
        , requires{" "}
        <PickMany
          label="Required"
          placeholder="nothing more"
          options={fields}
          value={one.require ?? []}
          onChange={(require) => set({ require })}
        />
        , adds the tasks of{" "}
        <PickMany
          label="Task templates"
          placeholder="nothing"
          options={entriesOf<Entry & { name: string }>(document, "tasks").map(({ key, name }) => ({ key, name }))}
          value={one.tasks ?? []}
          onChange={(tasks) => set({ tasks })}
        />
        .
      </p>
      <div className="mt-1 flex flex-wrap gap-2">
        <span className="text-ink-2">prefilled:</span>
        {Object.entries(one.prefill ?? {}).map(([field, value]) => (
          <span key={field} className="flex items-center gap-1">
            {fields.find((entry) => entry.key === field)?.name ?? field}{" "}
            <TextInput
              label={`Prefilled ${field}`}
              className={`${smallInput} w-40`}
              value={String(value as string)}
              onChange={(text) => set({ prefill: { ...one.prefill, [field]: text } })}
            />
            <button
              type="button"
              aria-label={`Do not prefill ${field}`}
              className="min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
              onClick={() => set({ prefill: Object.fromEntries(Object.entries(one.prefill ?? {}).filter(([name]) => name !== field)) })}
            >
              ×
            </button>
          </span>
        ))}
        <select
          aria-label="Prefill a field"
          className={smallInput}
          value=""
          onChange={(event) => set({ prefill: { ...one.prefill, [event.target.value]: "" } })}
        >
          <option value="">+ prefill…</option>
          {fields
            .filter((field) => !(field.key in (one.prefill ?? {})))
            .map((field) => (
              <option key={field.key} value={field.key}>
                {field.name}
              </option>
            ))}
        </select>
      </div>
      <ul className="mt-1">
        {followUps.map((ready, index) => (
          <li key={index} className="mt-1 flex items-start gap-2">
            ready to send as a{" "}
            <PickOne
              label="As"
              options={options(["reply", "note"])}
              value={ready.as}
              onChange={(as) => set({ follow_ups: followUps.map((old, at) => (at === index ? { ...old, as } : old)) })}
            />
            <TextInput
              label="Words"
              isLong
              className={`${smallInput} min-w-0 flex-1`}
              value={ready.text}
              onChange={(text) => set({ follow_ups: followUps.map((old, at) => (at === index ? { ...old, text } : old)) })}
            />
            <button
              type="button"
              aria-label="Remove the follow-up"
              className="min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
              onClick={() => set({ follow_ups: followUps.filter((_, at) => at !== index) })}
            >
              ×
            </button>
          </li>
        ))}
      </ul>
      <div className="mt-2 flex justify-between">
        <button
          type="button"
          className="why text-ink-2"
          onClick={() => set({ follow_ups: [...followUps, { as: "reply", text: "Please…" }] })}
        >
          keep a note or reply ready
        </button>
      </div>
      {form ? <FormPreview form={form} template={one as unknown as Record<string, unknown>} /> : null}
    </article>
  );
}

interface Starter extends Entry {
  name: string;
  for?: string;
  template?: string;
  values: Record<string, string>;
}

export const starters: SectionSpec<Starter> = {
  section: "starters",
  title: "Starters",
  one: "starter",
  about:
    "A starter is a prefilled new ticket, one click away in the Log menu, for all or for a team. People keep starters of their own from the Log.",
  nameOf: (one) => one.name,
  groupOf: (one) => (one.for && one.for !== "all" ? one.for : "All teams"),
  wordsOf: (one) => Object.values(one.values).join(" "),
  freshName: "New starter",
  columns: [
    {
      label: "template",
      of: (one, { document }) => entriesOf<Template>(document, "templates").find((entry) => entry.key === one.template)?.name ?? "none",
    },
    { label: "title", of: (one) => one.values.title ?? "" },
    { label: "service", of: (one) => one.values.service ?? "" },
  ],
  bulk: [
    { name: "for", label: "for", choices: ({ words }) => options(["all", ...words.teams]) },
    {
      name: "template",
      label: "template",
      choices: ({ document }) => [
        { key: "", name: "none" },
        ...entriesOf<Template>(document, "templates").map(({ key, name }) => ({ key, name })),
      ],
    },
  ],
  fresh: [
    {
      label: "New starter",
      make: (key) => ({ key, name: "New starter", for: "all", values: { title: "What happens often" } }),
    },
  ],
  Editor: StarterEditor,
};

function StarterEditor({ stored }: { stored: Starter }) {
  const { document, words } = useBook();
  const editing = useEntry<Starter>("starters", stored.key, stored);
  const one = editing.value;
  const set = (change: Partial<Starter>) => editing.set({ ...one, ...change });
  const value = (name: string, text: string) => {
    const values = { ...one.values, [name]: text };
    if (!text) delete values[name];
    set({ values });
  };
  const questions = entriesOf<Question>(document, "questions").filter((question) => question.choices.length > 0);
  return (
    <div className="leading-9">
      <EditState editing={editing} />
      <TextInput
        label="Name of the starter"
        isName
        className={`${smallInput} w-56 font-bold`}
        value={one.name}
        onChange={(name) => set({ name })}
      />{" "}
      for{" "}
      <PickOne label="For" options={options(["all", ...words.teams])} value={one.for ?? "all"} onChange={(next) => set({ for: next })} />,
      template{" "}
      <PickOne
        label="Template"
        placeholder="none"
        options={[{ key: "", name: "none" }, ...entriesOf<Template>(document, "templates").map(({ key, name }) => ({ key, name }))]}
        value={one.template ?? ""}
        onChange={(template) => set({ template })}
      />
      :{" "}
      <TextInput
        label="Title"
        placeholder="title"
        className={`${smallInput} w-56`}
        value={one.values.title ?? ""}
        onChange={(text) => value("title", text)}
      />{" "}
      about{" "}
      <PickOne
        label="Service"
        placeholder="no service"
        options={[{ key: "", name: "no service" }, ...options(words.services)]}
        value={one.values.service ?? ""}
        onChange={(service) => value("service", service)}
      />
      {questions.map((question) => (
        <span key={question.key}>
          ,{" "}
          <PickOne
            label={question.asks}
            placeholder={question.asks}
            options={[{ key: "", name: "not said" }, ...question.choices.map((choice) => ({ key: choice.key, name: choice.label }))]}
            value={one.values[question.key] ?? ""}
            onChange={(answer) => value(question.key, answer)}
          />
        </span>
      ))}
    </div>
  );
}
