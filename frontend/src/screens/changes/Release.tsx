import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ok, type Ticket } from "../../api/client";
import { Finder } from "../../parts/Finder";
import { when } from "../../parts/time";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { useTicketWrite } from "../../parts/useTicketWrite";
import { PlanAcross } from "./StepLinks";
import { type Change, RATING_FILL } from "./words";

type Carried = Change["carries"][number];
type Phase = Change["phases"][number];

/** What a release carries, phase by phase; for a change that goes with one, which. */
export function ReleasePanel({ ticket, now }: { ticket: Ticket; now: number }) {
  const change = ticket.change;
  const [leaver, setLeaver] = useState<Carried | null>(null);
  const [isPhasing, setPhasing] = useState(false);
  if (!change) return null;
  if (change.release)
    return (
      <p className="mb-3 rounded-card border border-line bg-sea-3 px-3.5 py-2">
        It goes with{" "}
        <Link to={`/desk/tickets/${change.release}`} className="font-semibold underline">
          release {change.release}
        </Link>
        : it is assessed, authorised and carried out with it.
      </p>
    );
  if (!change.is_release) return null;
  const canEdit = change.is_editable && ticket.acts.some((act) => act.name === "change" && act.why_not === "");
  const groups: (Phase | null)[] = change.phases.length > 0 ? change.phases : [null];
  return (
    <section id="carries" aria-label="What it carries" className="mb-3 rounded-card border border-line bg-sheet px-3.5 py-2.5">
      <h2 className="flex font-bold">
        Carries
        <span className="ml-auto text-[13px] font-normal text-ink-2">
          {change.carries.length + change.hidden === 1 ? "one change" : `${change.carries.length + change.hidden} changes`}
        </span>
      </h2>
      {change.carries.length === 0 ? <p className="text-ink-2">No change yet: name drafts that belong together.</p> : null}
      {groups.map((phase, index) => {
        const rows = change.carries.filter(
          (one) => phase === null || one.phase === phase.name || (index === 0 && !isPhase(change, one.phase)),
        );
        return (
          <div key={phase?.name ?? ""} className="mt-1">
            {phase ? (
              <h3 className="flex items-baseline gap-2 border-b border-line font-semibold">
                <span>
                  {index + 1}. {phase.name}
                </span>
                {phase.gate ? <span className="rounded-small bg-crown-2 px-1.5 text-[12px] font-normal">waits for a go</span> : null}
                <span className="ml-auto text-[13px] font-normal text-ink-2">
                  {phase.is_open ? `${phase.done} of ${phase.tasks} tasks done` : "not open yet"}
                </span>
              </h3>
            ) : null}
            <ul>
              {rows.map((one) => (
                <li key={one.id} className="flex items-baseline gap-2 border-b border-line py-1 last:border-0">
                  <Link to={`/desk/tickets/${one.id}`} className="min-w-0 flex-1 truncate hover:underline">
                    <span className="font-mono text-[13px]">{one.id}</span> {one.title}
                  </Link>
                  {one.points !== null && one.rating ? (
                    <span className="inline-flex items-center gap-1 text-[13px]">
                      <span className={`h-[10px] w-[10px] rounded-[2px] ${RATING_FILL[one.rating] ?? ""}`} aria-hidden="true" />
                      <b>{one.points}</b> <span className="text-ink-2">{one.rating}</span>
                    </span>
                  ) : null}
                  <span className="text-[13px] text-ink-2">{one.starts_s ? when(one.starts_s, now) : "no time yet"}</span>
                  {canEdit ? (
                    <button
                      type="button"
                      className="min-h-[24px] text-[13px] underline"
                      aria-label={`Let ${one.id} leave`}
                      onClick={() => setLeaver(one)}
                    >
                      leave…
                    </button>
                  ) : null}
                </li>
              ))}
            </ul>
          </div>
        );
      })}
      {change.hidden > 0 ? <p className="text-[13px] text-ink-2">{change.hidden} more that you may not read.</p> : null}
      {canEdit ? (
        <div className="mt-2 flex flex-wrap items-center gap-2">
          {ticket.state === "draft" ? <Join ticket={ticket} /> : null}
          <Button onClick={() => setPhasing(true)}>Phases…</Button>
        </div>
      ) : null}
      <PlanAcross ticket={ticket} change={change} canEdit={canEdit} />
      {leaver ? <Leave ticket={ticket} leaver={leaver} onClose={() => setLeaver(null)} /> : null}
      {isPhasing ? <Phases ticket={ticket} change={change} onClose={() => setPhasing(false)} /> : null}
    </section>
  );
}

function isPhase(change: Change, name: string): boolean {
  return change.phases.some((one) => one.name === name);
}

/** A draft is found by its words and joins. */
function Join({ ticket }: { ticket: Ticket }) {
  const [typed, setTyped] = useState("");
  const { write, fields } = useTicketWrite(ticket.id, true);
  return (
    <span className="min-w-[240px] flex-1">
      <Finder
        props={{ "aria-label": "A draft that it carries too" }}
        what="drafts"
        find={async (words) => {
          const rows = await ok(api.GET("/api/changes/{number}/carries", { params: { path: { number: ticket.id } } }));
          const folded = words.toLowerCase();
          return rows
            .filter((one) => `${one.id} ${one.title}`.toLowerCase().includes(folded))
            .slice(0, 9)
            .map((one) => ({ id: one.id, name: `${one.id} ${one.title}`, note: one.note }));
        }}
        nothing="No draft is called that."
        hint="Another draft, by its words"
        name={typed}
        onName={setTyped}
        onPick={(found) => {
          setTyped("");
          void write(
            ok(
              api.POST("/api/changes/{number}/carries", {
                params: { path: { number: ticket.id } },
                body: { change: found.id, phase: ticket.change?.phases[0]?.name ?? "" },
              }),
            ),
            `${found.id} goes with it.`,
          );
        }}
      />
      {fields.change ? <ErrorNote>{fields.change}</ErrorNote> : null}
    </span>
  );
}

/** What leaving would mean, before it is done. */
function Leave({ ticket, leaver, onClose }: { ticket: Ticket; leaver: Carried; onClose: () => void }) {
  const [why, setWhy] = useState("");
  const { write, isBusy, fields, problem } = useTicketWrite(ticket.id, true);
  const path = { number: ticket.id, change: leaver.id };
  const { data } = useQuery({
    queryKey: ["leaving", ticket.id, leaver.id, ticket.version],
    queryFn: () => ok(api.GET("/api/changes/{number}/carries/{change}", { params: { path } })),
  });
  return (
    <Dialog title={`Let ${leaver.id} leave the release`} about={`${leaver.title} is a draft of its own again.`} isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (isBusy) return;
          void write(
            ok(api.POST("/api/changes/{number}/carries/{change}", { params: { path }, body: { why } })),
            `${leaver.id} has left the release.`,
          ).then((done) => {
            if (done) onClose();
          });
        }}
      >
        <p aria-live="polite">
          {data ? (
            <>
              The release is{" "}
              <b>
                {data.points} {data.rating}
              </b>
              ; without it,{" "}
              <b>
                {data.points_without} {data.rating_without}
              </b>
              . {data.is_asked_again ? "Those who authorised its items and plan are asked again." : "Nobody has been asked yet."}
            </>
          ) : (
            "Weighing the release without it…"
          )}
        </p>
        <Field label="Why it leaves" error={fields.why}>
          {(props) => (
            <input
              {...props}
              autoFocus
              maxLength={300}
              className={inputClass}
              value={why}
              onChange={(event) => setWhy(event.target.value)}
            />
          )}
        </Field>
        {problem && !fields.why ? <ErrorNote>{problem}</ErrorNote> : null}
        <p className="flex gap-2">
          <Button tone="sea" type="submit" disabled={isBusy}>
            Let it leave
          </Button>
          <Button onClick={onClose}>Cancel</Button>
        </p>
      </form>
    </Dialog>
  );
}

/** The phases in order, which of them wait for a go, and what belongs to which. */
function Phases({ ticket, change, onClose }: { ticket: Ticket; change: Change; onClose: () => void }) {
  const [rows, setRows] = useState(() =>
    change.phases.length > 0
      ? change.phases.map((one) => ({ key: one.name, name: one.name, gate: one.gate }))
      : [{ key: "first", name: "First", gate: false }],
  );
  const [places, setPlaces] = useState<Record<number, string>>(() =>
    Object.fromEntries(change.carries.map((one) => [one.id, isPhase(change, one.phase) ? one.phase : (rows[0]?.key ?? "")])),
  );
  const { write, isBusy, problem } = useTicketWrite(ticket.id, true);
  const save = async () => {
    const nameOf = (key: string) => rows.find((one) => one.key === key)?.name ?? "";
    const body = {
      phases: rows.map(({ name, gate }) => ({ name, gate })),
      places: change.carries.map((one) => ({ change: one.id, phase: nameOf(places[one.id] ?? "") })),
    };
    if (await write(ok(api.PUT("/api/changes/{number}/phases", { params: { path: { number: ticket.id } }, body })), "The phases are kept."))
      onClose();
  };
  const set = (key: string, some: Partial<(typeof rows)[number]>) =>
    setRows(rows.map((one) => (one.key === key ? { ...one, ...some } : one)));
  return (
    <Dialog
      title="Phases of the release"
      about="The tasks of a phase are born when it opens: the first when the release begins, the others when all before is done."
      isOpen
      onClose={onClose}
    >
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy) void save();
        }}
      >
        <ol>
          {rows.map((one, index) => (
            <li key={one.key} className="flex flex-wrap items-center gap-2 py-1">
              <input
                aria-label={`Name of phase ${index + 1}`}
                maxLength={40}
                className={`${inputClass} !w-[200px] flex-1`}
                value={one.name}
                onChange={(event) => set(one.key, { name: event.target.value })}
              />
              <label className="flex min-h-[24px] items-center gap-1.5">
                <input
                  type="checkbox"
                  disabled={index === 0}
                  checked={one.gate && index > 0}
                  onChange={(event) => set(one.key, { gate: event.target.checked })}
                />
                waits for a go
              </label>
              {rows.length > 1 ? (
                <button
                  type="button"
                  className="min-h-[24px] text-[13px] underline"
                  aria-label={`Remove phase ${index + 1}`}
                  onClick={() => setRows(rows.filter((other) => other !== one))}
                >
                  remove
                </button>
              ) : null}
            </li>
          ))}
        </ol>
        <button
          type="button"
          className="min-h-[24px] text-[13px] underline"
          onClick={() => setRows([...rows, { key: `n${Date.now().toString(36)}`, name: "", gate: false }])}
        >
          another phase
        </button>
        {change.carries.length > 0 ? (
          <fieldset className="mt-3">
            <legend className="font-semibold">Which belongs to which</legend>
            {change.carries.map((one) => (
              <label key={one.id} className="flex items-center gap-2 py-0.5">
                <span className="min-w-0 flex-1 truncate">
                  <span className="font-mono text-[13px]">{one.id}</span> {one.title}
                </span>
                <select
                  className="min-h-[30px] rounded-small border border-line-2 bg-sheet px-2"
                  value={rows.some((each) => each.key === places[one.id]) ? places[one.id] : rows[0]?.key}
                  onChange={(event) => setPlaces({ ...places, [one.id]: event.target.value })}
                >
                  {rows.map((each) => (
                    <option key={each.key} value={each.key}>
                      {each.name || "…"}
                    </option>
                  ))}
                </select>
              </label>
            ))}
          </fieldset>
        ) : null}
        {problem ? <ErrorNote>{problem}</ErrorNote> : null}
        <p className="mt-3 flex gap-2">
          <Button tone="sea" type="submit" disabled={isBusy}>
            Keep the phases
          </Button>
          <Button onClick={onClose}>Cancel</Button>
        </p>
      </form>
    </Dialog>
  );
}
