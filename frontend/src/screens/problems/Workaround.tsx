import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, sentence, type Ticket } from "../../api/client";
import type { components } from "../../api/schema";
import { useDebounced } from "../../parts/hooks";
import { when } from "../../parts/time";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { Panel } from "../record/Panel";
import { Foot } from "./Causes";

type Previewed = components["schemas"]["PreviewedIncidentShape"];
type Told = components["schemas"]["ToldShape"];

const DOES: Record<string, string> = { resolve: "tell and resolve", tell: "tell only", leave: "leave as it is" };

/** The workaround: what it is, whom it has helped, and telling it to whoever waits. */
export function WorkaroundPanel({ ticket, now }: { ticket: Ticket; now: number }) {
  const [isTelling, setTelling] = useState(false);
  const [told, setTold] = useState<Told | null>(null);
  const problem = ticket.problem;
  if (!problem) return null;
  const canTell = ticket.is_open && ticket.acts.some((act) => act.name === "change" && act.why_not === "");
  const { used } = problem;
  const ways = [
    [used.told, "told"],
    [used.desk, "by the desk"],
    [used.portal, "on the portal"],
  ] as const;
  return (
    <Panel title="Workaround" note={problem.workaround && problem.workaround_s ? `since ${when(problem.workaround_s, now)}` : undefined}>
      {problem.workaround ? (
        <>
          <p className="whitespace-pre-wrap">{problem.workaround}</p>
          <p className="mt-1 text-[13px] text-ink-2">
            {used.all === 0
              ? "Not used yet."
              : `Used ${used.all} times: ${ways
                  .filter(([count]) => count > 0)
                  .map(([count, how]) => `${count} ${how}`)
                  .join(", ")}.`}{" "}
            {problem.is_for_portal ? "Offered on the portal before something is reported." : "Offered to the desk only."}
          </p>
        </>
      ) : (
        <p className="text-ink-2">None is known yet.</p>
      )}
      {canTell ? (
        <p className="mt-1.5">
          <Button tone={problem.open_count > 0 || !problem.workaround ? "sea" : "plain"} onClick={() => setTelling(true)}>
            {problem.workaround
              ? problem.open_count > 0
                ? `Tell the ${problem.open_count} open…`
                : "Change it…"
              : "Write the workaround…"}
          </Button>
        </p>
      ) : null}
      <OfArticle ticket={ticket} />
      {isTelling ? (
        <TellDialog
          ticket={ticket}
          onClose={() => setTelling(false)}
          onTold={(done) => {
            setTelling(false);
            setTold(done);
          }}
        />
      ) : null}
      {told && (told.done.length > 0 || told.left.length > 0) ? <WhatWasDone told={told} onClose={() => setTold(null)} /> : null}
    </Panel>
  );
}

/** The article that follows a known error, or writing one. */
function OfArticle({ ticket }: { ticket: Ticket }) {
  const navigate = useNavigate();
  const { me } = useSession();
  const [isBusy, setBusy] = useState(false);
  const problem = ticket.problem;
  if (!problem || problem.known_s === null) return null;
  if (problem.article !== null)
    return (
      <p className="mt-1.5 text-[13px]">
        <Link className="inline-block min-h-[24px] underline" to={`/desk/articles/${problem.article}`}>
          Article {problem.article}
        </Link>{" "}
        <span className="text-ink-2">shows it as it stands.</span>
      </p>
    );
  if (!me?.is_on_desk) return null;
  const draft = async () => {
    if (isBusy) return;
    setBusy(true);
    try {
      const made = await ok(api.POST("/api/problems/{number}/article", { params: { path: { number: ticket.id } } }));
      void navigate(`/desk/articles/${made.number}?write`);
    } catch (problem) {
      toast.error(sentence(problem));
      setBusy(false);
    }
  };
  return (
    <p className="mt-1.5">
      <Button disabled={isBusy} onClick={() => void draft()}>
        Write an article of it…
      </Button>
    </p>
  );
}

/** Known error and workaround in one act, each incident and its words seen before. */
function TellDialog({ ticket, onClose, onTold }: { ticket: Ticket; onClose: () => void; onTold: (told: Told) => void }) {
  const problem = ticket.problem;
  const queries = useQueryClient();
  const [workaround, setWorkaround] = useState(problem?.workaround ?? "");
  const [words, setWords] = useState(problem?.words ?? "");
  const [isForPortal, setForPortal] = useState(problem?.is_for_portal ?? false);
  const [isKnown, setKnown] = useState(true);
  const [why, setWhy] = useState(problem?.no_cause_why ?? "");
  const [does, setDoes] = useState<Record<number, string>>({});
  const [read, setRead] = useState(0);
  const [error, setError] = useState<unknown>(null);
  const [isBusy, setBusy] = useState(false);
  const path = { params: { path: { number: ticket.id } } };
  const asked = useDebounced(JSON.stringify({ workaround, words }), 350);
  const { data: rows } = useQuery({
    queryKey: ["preview workaround", ticket.id, asked],
    queryFn: () =>
      ok(api.POST("/api/problems/{number}/preview", { ...path, body: JSON.parse(asked) as { workaround: string; words: string } })),
    placeholderData: (before: Previewed[] | undefined) => before,
    staleTime: 0,
  });
  const fields = error instanceof Problem ? error.fields : {};
  const chosen = (row: Previewed) => does[row.id] ?? row.does;
  const counted = (what: string) => rows?.filter((row) => chosen(row) === what).length ?? 0;
  const isKnownAlready = ticket.state === "known error";
  const needsWhy = isKnown && !isKnownAlready && (problem?.root.length ?? 0) === 0;
  const shown = rows?.[Math.min(read, rows.length - 1)];
  const save = async () => {
    setBusy(true);
    setError(null);
    try {
      const done = await ok(
        api.POST("/api/problems/{number}/workaround", {
          ...path,
          body: {
            workaround,
            words,
            is_for_portal: isForPortal,
            is_known: isKnown,
            no_cause_why: needsWhy ? why : "",
            incidents: (rows ?? []).map((row) => ({ id: row.id, does: chosen(row) })),
          },
        }),
      );
      for (const key of ["ticket", "problems", "lookout", "tickets", "figures"]) void queries.invalidateQueries({ queryKey: [key] });
      if (done.done.length === 0 && done.left.length === 0) toast("The workaround is kept.");
      onTold(done);
    } catch (problem) {
      setError(problem);
    } finally {
      setBusy(false);
    }
  };
  const total = counted("resolve") + counted("tell");
  return (
    <Dialog title="Workaround" about={`Of problem ${ticket.id}: ${ticket.title}`} isOpen onClose={onClose} isWide>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy) void save();
        }}
      >
        <Field label="What helps until it is fixed" error={fields.workaround}>
          {(props) => (
            <textarea
              {...props}
              autoFocus
              rows={3}
              maxLength={5000}
              className={inputClass}
              value={workaround}
              onChange={(event) => setWorkaround(event.target.value)}
            />
          )}
        </Field>
        <div className="flex flex-wrap gap-x-6 gap-y-1">
          {isKnownAlready ? null : (
            <label className="flex items-center gap-2">
              <input type="checkbox" checked={isKnown} onChange={(event) => setKnown(event.target.checked)} />
              It is a known error now
            </label>
          )}
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={isForPortal} onChange={(event) => setForPortal(event.target.checked)} />
            Offer it to everybody on the portal
          </label>
        </div>
        {needsWhy ? (
          <Field label="No cause is confirmed down to its root: why is it a known error all the same?" error={fields.no_cause_why}>
            {(props) => (
              <input {...props} maxLength={300} className={inputClass} value={why} onChange={(event) => setWhy(event.target.value)} />
            )}
          </Field>
        ) : null}
        {rows && rows.length > 0 ? (
          <>
            <Field
              label="As their requesters read it"
              error={fields.words}
              help={
                shown && shown.unknown.length > 0
                  ? `{${shown.unknown[0] ?? ""}} stands for nothing.`
                  : "{name}, {number}, {title}, {place} and {workaround} are filled in for each."
              }
            >
              {(props) => (
                <textarea
                  {...props}
                  rows={5}
                  maxLength={5000}
                  className={inputClass}
                  value={words}
                  onChange={(event) => setWords(event.target.value)}
                />
              )}
            </Field>
            <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-3 max-[760px]:grid-cols-1">
              <ul className="max-h-[34vh] overflow-y-auto rounded-small border border-line" aria-label="Open incidents">
                {rows.map((row, index) => (
                  <li
                    key={row.id}
                    className={`flex items-baseline gap-2 border-b border-line px-2.5 py-1.5 last:border-0 ${index === read ? "bg-sea-3" : ""}`}
                  >
                    <button type="button" className="min-w-0 flex-1 text-left" onClick={() => setRead(index)}>
                      <span className="font-mono text-[13px]">{row.id}</span> {row.requester}
                      <span className="block truncate text-[13px] text-ink-2">
                        {row.title}
                        {row.why ? ` · ${row.why}` : ""}
                      </span>
                    </button>
                    <select
                      aria-label={`What is done with ${row.id}`}
                      className="rounded-small border border-line-2 bg-sheet px-1 py-0.5 text-[13px]"
                      value={chosen(row)}
                      onChange={(event) => setDoes({ ...does, [row.id]: event.target.value })}
                    >
                      {row.may.map((what) => (
                        <option key={what} value={what}>
                          {DOES[what]}
                        </option>
                      ))}
                    </select>
                  </li>
                ))}
              </ul>
              {shown ? (
                <div className="rounded-small border border-line bg-paper px-3 py-2">
                  <p className="text-[13px] text-ink-2">
                    As <b className="text-ink">{shown.requester}</b> will read it, about {shown.id} · {shown.channel}
                  </p>
                  <p className="mt-1 whitespace-pre-wrap">{shown.text}</p>
                </div>
              ) : null}
            </div>
            <p className="text-ink-2">
              {counted("resolve")} told and resolved, {counted("tell")} told only, {counted("leave")} left. Mail leaves after ten seconds,
              so each can be taken back until then.
            </p>
          </>
        ) : (
          <p className="text-ink-2">No open incident is linked: nobody is told.</p>
        )}
        {error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        <Foot
          label={total > 0 ? `Tell ${total}${counted("resolve") > 0 ? ` and resolve ${counted("resolve")}` : ""}` : "Keep the workaround"}
          isBusy={isBusy}
          isInView
          onClose={onClose}
        />
      </form>
    </Dialog>
  );
}

/** What became of each incident, with undo for those that were told. */
function WhatWasDone({ told, onClose }: { told: Told; onClose: () => void }) {
  const queries = useQueryClient();
  const [undone, setUndone] = useState<Record<number, string>>({});
  const undo = async (number: number) => {
    try {
      await ok(api.POST("/api/tickets/{number}/undo", { params: { path: { number } }, body: {} }));
      setUndone((before) => ({ ...before, [number]: "taken back" }));
      void queries.invalidateQueries({ queryKey: ["ticket"] });
    } catch (problem) {
      setUndone((before) => ({ ...before, [number]: sentence(problem) }));
    }
  };
  return (
    <Dialog
      title={`${told.done.length} told`}
      about="Mail leaves after ten seconds; until then each can be taken back."
      isOpen
      onClose={onClose}
    >
      <ul className="max-h-[50vh] overflow-y-auto">
        {told.done.map((one) => (
          <li key={one.id} className="flex items-baseline gap-2 py-0.5">
            <Link to={`/desk/tickets/${one.id}`} className="font-mono text-[13px] underline">
              {one.id}
            </Link>
            <span className="flex-1">{one.does === "resolve" ? "told and resolved" : "told"}</span>
            {undone[one.id] ? (
              <span className="text-[13px] text-ink-2">{undone[one.id]}</span>
            ) : (
              <button
                type="button"
                className="min-h-[24px] text-[13px] underline"
                aria-label={`Take ${one.id} back`}
                onClick={() => void undo(one.id)}
              >
                take back
              </button>
            )}
          </li>
        ))}
        {told.left.map((one) => (
          <li key={one.id} className="py-0.5">
            <Link to={`/desk/tickets/${one.id}`} className="font-mono text-[13px] underline">
              {one.id}
            </Link>{" "}
            <span className="text-rust">left: {one.why}</span>
          </li>
        ))}
      </ul>
      <div className="mt-3 flex justify-end">
        <Button tone="sea" onClick={onClose}>
          Close
        </Button>
      </div>
    </Dialog>
  );
}
