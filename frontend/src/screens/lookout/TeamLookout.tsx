import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, type Row, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import type { TeamOutlook } from "../../parts/chances";
import { Initials } from "../../parts/Initials";
import { standing } from "../../parts/MemberSelect";
import { OutlookCard } from "../../parts/outlook/OutlookCard";
import { Button, Dialog, ErrorNote, Field, inputClass, Loading } from "../../parts/ui";
import { tellTouched } from "../../shell/live";

type Team = components["schemas"]["TeamLookoutShape"];
type Person = components["schemas"]["LoadShape"];

interface TeamLookoutProps {
  data: Team | undefined;
  outlook: TeamOutlook | undefined;
  error: unknown;
  now: number;
  /** The rows that are drawn. */
  rows: Row[];
  children: ReactNode;
}

/** A lead's view: all that the team has open, beside who is on with how much; drag to assign. */
export function TeamLookout({ data, outlook, error, now, rows, children }: TeamLookoutProps) {
  const queries = useQueryClient();
  const [over, setOver] = useState<number | null>(null);
  const [giving, setGiving] = useState<{ row: Row; to: Person } | null>(null);
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <Loading what="the team" />;
  const most = Math.max(1, ...data.people.map((person) => person.load));
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(220px,260px)] gap-3 max-[1000px]:grid-cols-1">
      <div className="min-w-0">
        {outlook ? (
          <section aria-label="Looking ahead" className="mb-2 rounded-card border border-line bg-sheet px-3 py-2">
            <OutlookCard outlook={outlook} now={now} />
          </section>
        ) : null}
        {children}
      </div>
      <section aria-label="People" className="self-start rounded-card border border-line bg-sheet px-3 py-2">
        <h2 className="font-bold">{data.team.name}</h2>
        <p className="mb-1 text-[13px] text-ink-2">
          {data.open} open · {data.unread} unread · {data.answered} answered · {data.tasks} tasks nobody has. Drag a row onto a person to
          give it to them.
        </p>
        <ul>
          {data.people.map((person) => (
            <li
              key={person.id}
              className={`rounded-small border-b border-line px-1 py-1 last:border-0 ${over === person.id ? "bg-crown-2" : ""}`}
              onDragOver={(event) => {
                event.preventDefault();
                setOver(person.id);
              }}
              onDragLeave={() => setOver(null)}
              onDrop={(event) => {
                event.preventDefault();
                setOver(null);
                const row = rows.find((candidate) => String(candidate.id) === event.dataTransfer.getData("text/plain"));
                if (row) setGiving({ row, to: person });
              }}
            >
              <div className="flex items-center gap-1.5">
                <Initials name={person.name} />
                <Link
                  className="min-w-0 truncate font-semibold hover:underline"
                  to={`/desk/queue?filter=${encodeURIComponent(
                    JSON.stringify({
                      all: [
                        { field: "open", op: "is", value: true },
                        { field: "holder", op: "is one of", value: [person.name] },
                      ],
                    }),
                  )}`}
                >
                  {person.name}
                </Link>
                <span className="ml-auto shrink-0 text-[13px]" title="Weighted by priority; half when it waits on others">
                  load <b>{person.load}</b>
                </span>
              </div>
              <div className="mt-0.5 h-[5px] rounded bg-paper" aria-hidden="true">
                <div
                  className={`h-full rounded ${person.is_on ? "bg-sea" : "bg-line-2"}`}
                  style={{ width: `${(person.load / most) * 100}%` }}
                />
              </div>
              <p className="text-[13px] text-ink-2">
                {standing(person, now)} · {person.open} open{person.cap ? ` of at most ${person.cap}` : ""}
                {person.late > 0 ? <b className="text-rust"> · {person.late} overdue</b> : null}
              </p>
            </li>
          ))}
        </ul>
      </section>
      {giving ? (
        <GiveDialog
          row={giving.row}
          to={giving.to}
          people={data.people}
          team={data.team.id}
          onClose={() => setGiving(null)}
          onDone={() => {
            setGiving(null);
            tellTouched([giving.row.id]);
            void queries.invalidateQueries({ queryKey: ["lookout"] });
          }}
        />
      ) : null}
    </div>
  );
}

interface GiveProps {
  row: Row;
  to: Person | null;
  people: Person[];
  team: number;
  onClose: () => void;
  onDone: () => void;
}

/** Give a ticket to somebody, with the reason that reaches them. */
function GiveDialog({ row, to, people, team, onClose, onDone }: GiveProps) {
  const [person, setPerson] = useState(to ? String(to.id) : "");
  const [comment, setComment] = useState("You have room for it.");
  const [error, setError] = useState<Problem | null>(null);
  const [isBusy, setBusy] = useState(false);
  const give = async () => {
    setBusy(true);
    try {
      await ok(
        api.POST("/api/tickets/{number}/hand-over", {
          params: { path: { number: row.id } },
          body: { team, person: person ? +person : null, comment, version: row.version },
        }),
      );
      toast(`${row.id} given to ${people.find((one) => String(one.id) === person)?.name ?? "the team"}.`);
      onDone();
    } catch (problem) {
      setError(problem instanceof Problem ? problem : null);
      setBusy(false);
    }
  };
  return (
    <Dialog title={`Give ${row.id}`} about={row.title} isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void give();
        }}
      >
        <Field label="To" error={error?.fields.person ?? error?.fields.team}>
          {(props) => (
            <select {...props} autoFocus={!to} className={inputClass} value={person} onChange={(event) => setPerson(event.target.value)}>
              <option value="">Choose…</option>
              {people.map((one) => (
                <option key={one.id} value={one.id}>
                  {one.name} · load {one.load}
                  {one.is_on ? "" : " · not on"}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="Why" error={error?.fields.comment} help="They read it first.">
          {(props) => (
            <input
              {...props}
              autoFocus={to !== null}
              className={inputClass}
              value={comment}
              onChange={(event) => setComment(event.target.value)}
            />
          )}
        </Field>
        {error && Object.keys(error.fields).length === 0 ? <ErrorNote>{error.message}</ErrorNote> : null}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea" disabled={isBusy || !person}>
            Give it
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
