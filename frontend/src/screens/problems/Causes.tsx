import { useState } from "react";
import { api, ok, type Ticket } from "../../api/client";
import type { components } from "../../api/schema";
import { when } from "../../parts/time";
import { Button, Dialog, Field, inputClass, Switch } from "../../parts/ui";
import { useTicketWrite } from "../../parts/useTicketWrite";

type Cause = components["schemas"]["CauseShape"];
type State = "open" | "confirmed" | "ruled out";

const STATES: State[] = ["open", "confirmed", "ruled out"];

/** The tree of possible causes, each with its evidence; the root cause is read off it. */
export function Causes({ ticket, now }: { ticket: Ticket; now: number }) {
  const problem = ticket.problem;
  const [under, setUnder] = useState<string | null>(null);
  const [changed, setChanged] = useState<Cause | null>(null);
  if (!problem) return null;
  const canEdit = ticket.acts.some((act) => act.name === "change" && act.why_not === "");
  const open = problem.causes.filter((one) => one.state === "open").length;
  const root = problem.root.map((id) => problem.causes.find((one) => one.id === id)?.says).filter(Boolean);
  const unused = problem.branches.filter((says) => !problem.causes.some((one) => one.says === says));
  return (
    <section aria-label="What causes it" className="rounded-card border border-line bg-sheet px-3.5 py-2.5">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <h2 className="font-bold">What causes it</h2>
        <span className="text-[13px] text-ink-2">
          {root.length > 0
            ? `root cause: ${root.join(" → ")}`
            : problem.no_cause_why
              ? `known without a confirmed cause: ${problem.no_cause_why}`
              : problem.causes.length === 0
                ? "nothing is written down yet"
                : `${open} still open, none confirmed down to its root`}
        </span>
        {canEdit ? (
          <button type="button" className="ml-auto underline" onClick={() => setUnder("")}>
            add a possible cause
          </button>
        ) : null}
      </div>
      {problem.causes.length > 0 ? (
        <Branch
          causes={problem.causes}
          parent=""
          root={problem.root}
          now={now}
          canEdit={canEdit}
          onUnder={setUnder}
          onChange={setChanged}
        />
      ) : null}
      {canEdit && problem.causes.length === 0 && unused.length > 0 ? (
        <p className="mt-1 flex flex-wrap gap-2">
          {unused.map((says) => (
            <Begin key={says} ticket={ticket} says={says} />
          ))}
        </p>
      ) : null}
      {under !== null ? (
        <AddCause ticket={ticket} under={problem.causes.find((one) => one.id === under)} onClose={() => setUnder(null)} />
      ) : null}
      {changed ? <ChangeCause ticket={ticket} cause={changed} onClose={() => setChanged(null)} /> : null}
    </section>
  );
}

/** One of the places where the rulebook begins to look, with one press. */
function Begin({ ticket, says }: { ticket: Ticket; says: string }) {
  const { write, isBusy } = useTicketWrite(ticket.id);
  const add = () =>
    write(ok(api.POST("/api/problems/{number}/causes", { params: { path: { number: ticket.id } }, body: { says, parent: "" } })));
  return (
    <Button disabled={isBusy} onClick={() => void add()}>
      + {says}
    </Button>
  );
}

interface BranchProps {
  causes: Cause[];
  parent: string;
  root: string[];
  now: number;
  canEdit: boolean;
  onUnder: (id: string) => void;
  onChange: (cause: Cause) => void;
}

function Branch({ causes, parent, root, now, canEdit, onUnder, onChange }: BranchProps) {
  const here = causes.filter((one) => one.parent === parent);
  if (here.length === 0) return null;
  return (
    <ul className={parent ? "ml-[9px] border-l border-line-2 pl-4" : "mt-1"}>
      {here.map((one) => {
        const isRoot = root.includes(one.id);
        return (
          <li key={one.id} className={`py-1 ${isRoot ? "-ml-[1px] border-l-[3px] border-sea pl-2" : ""}`}>
            <div className="flex flex-wrap items-baseline gap-x-2">
              <Mark state={one.state} />
              <span className={`min-w-0 flex-1 ${one.state === "ruled out" ? "text-ink-2" : "font-semibold"}`}>
                {one.says} {one.state === "open" ? "" : <span className="sr-only">({one.state})</span>}
              </span>
              <span className="text-[13px] text-ink-2">
                {one.state} · {one.who}, {when(one.at_s, now)}
              </span>
              {canEdit ? (
                <span className="flex gap-2 text-[13px]">
                  <button type="button" className="min-h-[24px] underline" aria-label={`Weigh ${one.says}`} onClick={() => onChange(one)}>
                    weigh
                  </button>
                  <button
                    type="button"
                    className="min-h-[24px] underline"
                    aria-label={`Deeper than ${one.says}`}
                    onClick={() => onUnder(one.id)}
                  >
                    deeper
                  </button>
                </span>
              ) : null}
            </div>
            {one.evidence.length > 0 ? (
              <ul className="ml-[22px] list-disc pl-3 text-[13.5px] text-ink-2">
                {one.evidence.map((line) => (
                  <li key={line}>{line}</li>
                ))}
              </ul>
            ) : null}
            <Branch causes={causes} parent={one.id} root={root} now={now} canEdit={canEdit} onUnder={onUnder} onChange={onChange} />
          </li>
        );
      })}
    </ul>
  );
}

/** A ring is open, a full disc with a tick confirmed, a cross ruled out. */
function Mark({ state }: { state: string }) {
  return (
    <svg width="16" height="16" viewBox="0 0 16 16" aria-hidden="true" className="shrink-0 translate-y-[2px]">
      {state === "confirmed" ? (
        <>
          <circle cx="8" cy="8" r="7" className="fill-sea" />
          <path d="M4.5 8.2 L7 10.6 L11.4 5.6" fill="none" className="stroke-on-sea" strokeWidth="1.8" />
        </>
      ) : state === "ruled out" ? (
        <path d="M4 4 L12 12 M12 4 L4 12" className="stroke-ink-2" strokeWidth="1.8" />
      ) : (
        <circle cx="8" cy="8" r="6" fill="none" className="stroke-ink" strokeWidth="1.6" strokeDasharray="3 2.4" />
      )}
    </svg>
  );
}

function AddCause({ ticket, under, onClose }: { ticket: Ticket; under: Cause | undefined; onClose: () => void }) {
  const [says, setSays] = useState("");
  const { write, isBusy, fields } = useTicketWrite(ticket.id, true);
  const add = async () => {
    const body = { says, parent: under?.id ?? "" };
    if (await write(ok(api.POST("/api/problems/{number}/causes", { params: { path: { number: ticket.id } }, body })))) onClose();
  };
  return (
    <Dialog title="A possible cause" about={under ? `Deeper than “${under.says}”` : "Of what is seen"} isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void add();
        }}
      >
        <Field label="What may cause it" error={fields.says}>
          {(props) => (
            <input
              {...props}
              autoFocus
              maxLength={200}
              className={inputClass}
              value={says}
              onChange={(event) => setSays(event.target.value)}
            />
          )}
        </Field>
        <Foot label="Write it down" isBusy={isBusy} onClose={onClose} />
      </form>
    </Dialog>
  );
}

function ChangeCause({ ticket, cause, onClose }: { ticket: Ticket; cause: Cause; onClose: () => void }) {
  const [says, setSays] = useState(cause.says);
  const [state, setState] = useState(cause.state);
  const [evidence, setEvidence] = useState(cause.evidence.join("\n"));
  const { write, isBusy, fields } = useTicketWrite(ticket.id, true);
  const path = { number: ticket.id, key: cause.id };
  const save = async () => {
    const body = { says, state, evidence: evidence.split("\n") };
    if (await write(ok(api.PATCH("/api/problems/{number}/causes/{key}", { params: { path }, body })))) onClose();
  };
  const remove = async () => {
    if (await write(ok(api.DELETE("/api/problems/{number}/causes/{key}", { params: { path } })), "Removed.")) onClose();
  };
  return (
    <Dialog title="Weigh a possible cause" isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void save();
        }}
      >
        <Field label="What may cause it" error={fields.says}>
          {(props) => (
            <input {...props} maxLength={200} className={inputClass} value={says} onChange={(event) => setSays(event.target.value)} />
          )}
        </Field>
        <Switch label="It is" value={state} choices={STATES.map((key) => ({ key, name: key }))} onChoose={setState} />
        <Field label="Evidence for it or against it, one to a line" error={fields.evidence}>
          {(props) => (
            <textarea
              {...props}
              autoFocus
              rows={4}
              className={inputClass}
              value={evidence}
              onChange={(event) => setEvidence(event.target.value)}
            />
          )}
        </Field>
        <Foot label="Keep" isBusy={isBusy} onClose={onClose}>
          <Button tone="quiet" disabled={isBusy} onClick={() => void remove()}>
            Remove
          </Button>
        </Foot>
      </form>
    </Dialog>
  );
}

/** The buttons at the end of a form in a dialog. */
export function Foot({
  label,
  isBusy,
  onClose,
  children,
  isInView = false,
}: {
  label: string;
  isBusy: boolean;
  onClose: () => void;
  children?: React.ReactNode;
  /** Whether it stays in view at the foot of a long dialog. */
  isInView?: boolean;
}) {
  return (
    <div
      className={`flex flex-wrap justify-end gap-2 ${isInView ? "sticky -bottom-5 -mx-5 -mb-5 border-t border-line bg-sheet px-5 py-3" : ""}`}
    >
      <span className="mr-auto">{children}</span>
      <Button onClick={onClose}>Cancel</Button>
      <Button type="submit" tone="sea" disabled={isBusy}>
        {label}
      </Button>
    </div>
  );
}
