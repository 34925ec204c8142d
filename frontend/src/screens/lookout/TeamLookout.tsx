import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, type Row, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { heedServerTime, useKeys } from "../../parts/hooks";
import { Markers, Number, PriorityMark } from "../../parts/marks";
import { dueWords, urgencyOf } from "../../parts/state";
import { when } from "../../parts/time";
import { Button, Dialog, Empty, ErrorNote, Field, inputClass, Loading } from "../../parts/ui";
import { tellTouched } from "../../shell/live";

type Person = components["schemas"]["LoadShape"];

interface TeamLookoutProps {
  team: number;
  now: number;
  onOpen: (number: number) => void;
}

/** A lead's view: who is on with how much, what will be late, what is nobody's; drag or key to assign. */
export function TeamLookout({ team, now, onOpen }: TeamLookoutProps) {
  const queries = useQueryClient();
  const [over, setOver] = useState<number | null>(null);
  const [giving, setGiving] = useState<{ row: Row; to: Person | null } | null>(null);
  const { data, error } = useQuery({
    queryKey: ["lookout", team],
    queryFn: async () => {
      const found = await ok(api.GET("/api/lookout/{team}", { params: { path: { team } } }));
      heedServerTime(found.now_s);
      return found;
    },
    refetchInterval: 60_000,
  });
  const [at, setAt] = useState(0);
  const rows = data ? [...data.nobodys, ...data.late_soon] : [];
  // Keys come faster than the page is drawn: what they moved to counts at once.
  const place = useRef(at);
  place.current = at;
  const move = (step: number) => {
    const next = Math.min(rows.length - 1, Math.max(0, place.current + step));
    place.current = next;
    setAt(next);
    document.getElementById(`team-row-${next}`)?.scrollIntoView({ block: "nearest" });
  };
  useKeys({
    ArrowDown: () => move(1),
    ArrowUp: () => move(-1),
    h: () => {
      const row = rows[place.current];
      if (row) setGiving({ row, to: null });
    },
    " ": () => {
      const row = rows[place.current];
      if (row) onOpen(row.id);
    },
  });
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <Loading what="the team" />;
  const most = Math.max(1, ...data.people.map((person) => person.load));
  const lists: [string, string, Row[], number][] = [
    ["Nobody's", "drag onto a person, or press H", data.nobodys, 0],
    ["Late, or due in the next four hours", "our move", data.late_soon, data.nobodys.length],
  ];
  return (
    <div className="grid grid-cols-[minmax(280px,2fr)_minmax(0,3fr)] gap-3 max-[900px]:grid-cols-1">
      <section aria-label="People" className="self-start rounded-card border border-line bg-sheet px-3.5 py-2.5">
        <h2 className="font-bold">{data.team.name}</h2>
        <p className="mb-1 text-[13px] text-ink-2">
          {data.open} open · {data.unread} unread · {data.answered} answered · {data.tasks} tasks nobody has
        </p>
        <ul>
          {data.people.map((person) => (
            <li
              key={person.id}
              className={`rounded-small border-b border-line px-1.5 py-1.5 last:border-0 ${over === person.id ? "bg-crown-2" : ""}`}
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
              <div className="flex items-baseline gap-2">
                <Link
                  className="font-semibold hover:underline"
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
                <span className="text-[13px] text-ink-2">{standing(person, now)}</span>
                <span className="ml-auto text-[13px]" title="Weighted by priority; half when the move is not ours">
                  load <b>{person.load}</b>
                </span>
              </div>
              <div className="mt-0.5 h-[6px] rounded bg-paper" aria-hidden="true">
                <div
                  className={`h-full rounded ${person.is_on ? "bg-sea" : "bg-line-2"}`}
                  style={{ width: `${(person.load / most) * 100}%` }}
                />
              </div>
              <p className="text-[13px] text-ink-2">
                {person.open} open{person.cap ? ` of at most ${person.cap}` : ""}
                {person.late > 0 ? <b className="text-rust"> · {person.late} late</b> : null}
              </p>
            </li>
          ))}
        </ul>
      </section>
      <div className="flex min-w-0 flex-col gap-3">
        {lists.map(([title, note, list, start]) => (
          <section key={title} aria-label={title} className="rounded-card border border-line bg-sheet">
            <h2 className="border-b border-line px-3.5 py-1.5 font-bold">
              {title}{" "}
              <span className="font-normal text-ink-2">
                {list.length} · {note}
              </span>
            </h2>
            {list.length === 0 ? <p className="px-3.5 py-3 text-ink-2">None.</p> : null}
            <ul>
              {list.map((row, index) => (
                <li
                  key={row.id}
                  id={`team-row-${start + index}`}
                  draggable
                  onDragStart={(event) => event.dataTransfer.setData("text/plain", String(row.id))}
                  className={`flex cursor-grab items-center gap-2.5 border-b border-line px-3.5 py-1.5 last:border-0 ${start + index === at ? "bg-sea-3/60" : "hover:bg-sea-3/40"}`}
                  onClick={(event) => {
                    setAt(start + index);
                    if (!(event.target as HTMLElement).closest("a,button")) onOpen(row.id);
                  }}
                >
                  <PriorityMark priority={row.priority} />
                  <Number row={row} />
                  <span className="min-w-0 flex-1">
                    <Link to={`/desk/tickets/${row.id}`} className="block truncate font-semibold hover:underline">
                      {row.title}
                    </Link>
                    <span className="block truncate text-[13px] text-ink-2">
                      {row.service ?? "no service"} · {row.holder ?? "nobody"}
                      <Markers row={row} me={undefined} />
                    </span>
                  </span>
                  <span className={`shrink-0 text-[13px] ${urgencyOf(row, now) === "late" ? "font-bold text-rust" : "text-ink-2"}`}>
                    {dueWords(row, now)}
                  </span>
                  <Button onClick={() => setGiving({ row, to: null })} hint={start + index === at ? "H" : undefined}>
                    Give…
                  </Button>
                </li>
              ))}
            </ul>
          </section>
        ))}
        {rows.length === 0 ? <Empty title="Nothing presses">Everything has a holder and time.</Empty> : null}
      </div>
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

function standing(person: Person, now: number): string {
  if (person.away_until_s) return `away until ${when(person.away_until_s, now)}`;
  if (!person.is_on) return person.next_on_s ? `back ${when(person.next_on_s, now)}` : "off";
  return [person.is_here ? "here" : "on", person.is_set_aside ? "set aside" : ""].filter(Boolean).join(", ");
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
          <Button onClick={onClose}>Not now</Button>
          <Button type="submit" tone="sea" disabled={isBusy || !person}>
            Give it
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
