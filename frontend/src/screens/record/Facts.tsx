import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import { api, ok, Problem, sentence, type Ticket } from "../../api/client";
import { useChoices } from "../../parts/choices";
import { useNow } from "../../parts/hooks";
import { can } from "../../parts/recordActs";
import { when } from "../../parts/time";
import { Button, inputClass } from "../../parts/ui";
import { useLocalDraft } from "../../parts/localDraft";
import { WhyCard } from "../../parts/WhyCard";
import { ItemEditor } from "./ItemEditor";
import { MoreFacts } from "./MoreFacts";

type FactName = "title" | "service" | "ci" | "category" | "place" | "impact" | "urgency";

interface Clash {
  name: FactName;
  mine: unknown;
  mineText: string;
}

/** The facts of a ticket, each editable in place; a clash with somebody else's edit asks. */
export function Facts({ ticket }: { ticket: Ticket }) {
  const queries = useQueryClient();
  const now = useNow();
  const [draft, setDraft] = useLocalDraft<string>(`title-${ticket.id}`);
  const [edit, setEdit] = useState<{ name: FactName; seen: Ticket } | null>(
    draft !== null && can(ticket, "change") ? { name: "title", seen: ticket } : null,
  );
  const [clash, setClash] = useState<Clash | null>(null);
  const choices = useChoices();
  const canEdit = can(ticket, "change");
  const editing = edit?.name ?? null;
  // What was on the screen when editing began is what a change is measured against: others
  // may have changed the same fact since, and this page with it.
  const seen = edit?.seen ?? ticket;
  const setEditing = (name: FactName | null) => setEdit(name === null ? null : { name, seen: ticket });

  const save = async (name: FactName, value: unknown, mineText: string, from: Ticket) => {
    try {
      const next = await ok(
        api.PATCH("/api/tickets/{number}", {
          params: { path: { number: ticket.id } },
          body: { version: from.version, [name]: value },
        }),
      );
      queries.setQueryData(["ticket", ticket.id], next);
      void queries.invalidateQueries({ queryKey: ["why", ticket.id] });
      setEditing(null);
      setClash(null);
      if (name === "title") setDraft(null);
      toast("Changed.");
    } catch (error) {
      const current = error instanceof Problem && error.code === "stale" ? (error.body.current as Ticket) : null;
      if (!current) {
        toast.error(sentence(error));
        return;
      }
      queries.setQueryData(["ticket", ticket.id], current);
      setClash({ name, mine: value, mineText });
    }
  };
  const row = (label: string, name: FactName | null, shown: ReactNode, editor?: ReactNode) => (
    <div className="grid grid-cols-[104px_1fr] items-start gap-2 py-[3px]">
      <dt className="text-ink-2">{label}</dt>
      <dd className="min-w-0">
        {name !== null && editing === name ? (
          editor
        ) : name !== null && canEdit ? (
          <button type="button" onClick={() => setEditing(name)} className="-mx-1 rounded px-1 text-left hover:bg-sea-3">
            <span className="sr-only">Change {label}: </span>
            {shown}
          </button>
        ) : (
          shown
        )}
      </dd>
    </div>
  );
  const assumed = (name: "impact" | "urgency") =>
    facts[`is_${name}_assumed`] ? (
      <div className="ml-[112px] pb-1 text-[13px]">
        <dt className="sr-only">how {name} is known</dt>
        <dd>
          <span className="rounded bg-crown-2 px-1.5">assumed: nobody has said it</span>{" "}
          {canEdit ? (
            <button type="button" className="underline" onClick={() => void save(name, facts[name], facts[`${name}_label`], ticket)}>
              it is right<span className="sr-only">: {name}</span>
            </button>
          ) : null}
        </dd>
      </div>
    ) : null;
  const select = (name: FactName, value: string, options: [string, string][], toValue: (text: string) => unknown) => (
    <select
      autoFocus
      aria-label={name}
      className={inputClass}
      defaultValue={value}
      onBlur={() => setEditing(null)}
      onKeyDown={(event) => event.key === "Escape" && setEditing(null)}
      onChange={(event) => void save(name, toValue(event.target.value), event.target.selectedOptions[0]?.text ?? "", seen)}
    >
      {options.map(([key, label]) => (
        <option key={key} value={key}>
          {label}
        </option>
      ))}
    </select>
  );
  const facts = ticket.facts;
  const nothing = <span className="text-ink-2">nothing yet</span>;
  const why = (of: string) => <WhyCard number={ticket.id} of={of} />;

  return (
    <div className="flex flex-col gap-3">
      {clash ? (
        <div role="alert" className="rounded-card border border-crown bg-crown-2 p-3">
          <p className="font-bold">Somebody changed {clash.name} meanwhile.</p>
          <p>
            Theirs: {factText(ticket, clash.name) || "nothing"}. Yours: {clash.mineText || "nothing"}.
          </p>
          <div className="mt-2 flex gap-2">
            <Button
              onClick={() => {
                setClash(null);
                setEditing(null);
                setDraft(null);
              }}
            >
              Keep theirs
            </Button>
            <Button tone="sea" onClick={() => void save(clash.name, clash.mine, clash.mineText, ticket)}>
              Use mine
            </Button>
          </div>
        </div>
      ) : null}
      <section className="rounded-card border border-line bg-sheet px-3.5 py-3" aria-label="Details">
        <div className="mb-1 flex justify-between">
          <h2 className="font-bold">Details</h2>
          {canEdit ? <span className="text-[13px] text-ink-2">edit any</span> : null}
        </div>
        <dl>
          {row(
            "Title",
            "title",
            ticket.title,
            <TextEditor
              value={ticket.title}
              draft={draft}
              onDraft={setDraft}
              onCancel={() => setEditing(null)}
              onSave={(text) => void save("title", text, text, seen)}
            />,
          )}
          {row(
            "Priority",
            null,
            <>
              <b>P{facts.priority}</b>
              {facts.priority_reason ? ` · by hand: ${facts.priority_reason}` : ""} {why("priority")}
            </>,
          )}
          {row(
            "Impact",
            "impact",
            facts.impact_label,
            select(
              "impact",
              String(facts.impact),
              (choices?.impact ?? []).map((label, index) => [String(index + 1), label]),
              Number,
            ),
          )}
          {assumed("impact")}
          {row(
            "Urgency",
            "urgency",
            facts.urgency_label,
            select(
              "urgency",
              String(facts.urgency),
              (choices?.urgency ?? []).map((label, index) => [String(index + 1), label]),
              Number,
            ),
          )}
          {assumed("urgency")}
          {row(
            "Service",
            "service",
            facts.service?.name ?? nothing,
            select(
              "service",
              String(facts.service?.id ?? ""),
              [["", "nothing yet"], ...servicesWith(facts.service, choices?.services ?? [])],
              (text) => (text ? +text : null),
            ),
          )}
          {row(
            "CI",
            "ci",
            facts.ci?.name ?? nothing,
            <ItemEditor ticket={ticket} onCancel={() => setEditing(null)} onSave={(id, name) => void save("ci", id, name, seen)} />,
          )}
          {row(
            "Category",
            "category",
            facts.category || nothing,
            select(
              "category",
              facts.category,
              [["", "nothing yet"], ...(choices?.categories ?? []).map((key): [string, string] => [key, key])],
              (text) => text,
            ),
          )}
          {row(
            "Place",
            "place",
            facts.place || nothing,
            select(
              "place",
              facts.place,
              (choices?.places ?? []).map((key): [string, string] => [key, key]),
              (text) => text,
            ),
          )}
          {row(
            "Agreement",
            null,
            <>
              {facts.agreement || "none"} {why("agreement")}
            </>,
          )}
          {row(
            "Team",
            null,
            <>
              {facts.team.name} {why("team")}
            </>,
          )}
          {row(
            "Assignee",
            null,
            <>
              {facts.holder?.name ?? <span className="text-rust">unassigned</span>} {why("holder")}
            </>,
          )}
          {ticket.next_step
            ? row(
                "Next escalation",
                null,
                <>
                  {ticket.next_step.says}, <span className="text-ink-2">{when(ticket.next_step.at_s, now)}</span> {why("next")}
                </>,
              )
            : null}
          {row("Rules", null, why("rules"))}
          {row(
            "Followers",
            null,
            ticket.followers.map((follower) => follower.name).join(", ") || <span className="text-ink-2">nobody</span>,
          )}
          {ticket.announcement
            ? row(
                "Announced",
                null,
                `“${ticket.announcement.title}”, next news ${ticket.announcement.next_news_s ? when(ticket.announcement.next_news_s, now) : ""}`,
              )
            : null}
        </dl>
      </section>
      <MoreFacts ticket={ticket} canEdit={canEdit} />
      <section className="rounded-card border border-line bg-sheet px-3.5 py-3" aria-label="Requester">
        <h2 className="mb-1 font-bold">{facts.requester.name}</h2>
        <p className="text-ink-2">{[facts.requester.job, facts.requester.department, facts.requester.place].filter(Boolean).join(" · ")}</p>
        <p className="text-ink-2">
          {facts.requester.phone ? `phone ${facts.requester.phone} · ` : ""}
          {facts.requester.email}
        </p>
      </section>
    </div>
  );
}

/** What may be chosen, and the service that it has, though nothing new is logged of it any more. */
function servicesWith(own: { id: number; name: string } | null | undefined, offered: { id: number; name: string }[]): [string, string][] {
  const all = own && !offered.some((one) => one.id === own.id) ? [own, ...offered] : offered;
  return all.map((one) => [String(one.id), one.name]);
}

function factText(ticket: Ticket, name: FactName): string {
  if (name === "title") return ticket.title;
  if (name === "impact") return ticket.facts.impact_label;
  if (name === "urgency") return ticket.facts.urgency_label;
  const value = ticket.facts[name];
  return value === null ? "" : typeof value === "string" ? value : value.name;
}

interface TextEditorProps {
  value: string;
  /** What was typed and not saved before, kept until it is. */
  draft: string | null;
  onDraft: (text: string | null) => void;
  onSave: (text: string) => void;
  onCancel: () => void;
}

function TextEditor({ value, draft, onDraft, onSave, onCancel }: TextEditorProps) {
  const [text, setText] = useState(draft ?? value);
  const cancel = () => {
    onDraft(null);
    onCancel();
  };
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        onSave(text);
      }}
    >
      <input
        autoFocus
        aria-label="title"
        className={inputClass}
        value={text}
        maxLength={200}
        onChange={(event) => {
          setText(event.target.value);
          onDraft(event.target.value === value ? null : event.target.value);
        }}
        onKeyDown={(event) => event.key === "Escape" && cancel()}
      />
      <div className="mt-1 flex items-center gap-2">
        <Button type="submit" tone="sea">
          Save
        </Button>
        <Button onClick={cancel}>Cancel</Button>
        {draft !== null ? <span className="text-[13px] text-ink-2">not saved yet</span> : null}
      </div>
    </form>
  );
}
