import { useState } from "react";
import { api, ok, type Ticket } from "../../api/client";
import { Button, Dialog, ErrorNote } from "../../parts/ui";
import { useTicketWrite } from "../../parts/useTicketWrite";
import type { Change } from "./words";

type Step = Change["plan"][number];
type Link = Change["links"][number];

const keyOf = ({ change, step }: { change: number; step: string }) => `${change}:${step}`;

function placeOf(key: string) {
  const at = key.indexOf(":");
  return { change: Number(key.slice(0, at)), step: key.slice(at + 1) };
}

/** "after 4102, Copy the tables": what a step of a release waits for beside the one before it. */
function waitsFor(change: Change, step: Step): Step[] {
  const known = new Map(change.plan.map((one) => [keyOf(one), one]));
  return change.links.filter((link) => keyOf(link.step) === keyOf(step)).flatMap((link) => known.get(keyOf(link.waits_for)) ?? []);
}

/** All steps of a release in one plan, and which waits for which, across its changes. */
export function PlanAcross({ ticket, change, canEdit }: { ticket: Ticket; change: Change; canEdit: boolean }) {
  const [isOpen, setOpen] = useState(false);
  const linked = change.plan.filter((step) => waitsFor(change, step).length > 0);
  if (change.plan.length < 2) return null;
  return (
    <div className="mt-2">
      <h3 className="flex items-baseline gap-2 font-semibold">
        Links between steps
        {canEdit ? (
          <button type="button" className="ml-auto min-h-[24px] text-[13px] font-normal underline" onClick={() => setOpen(true)}>
            which waits for which…
          </button>
        ) : null}
      </h3>
      {linked.length === 0 ? (
        <p className="text-[13px] text-ink-2">
          None: the steps of each change follow each other, those of different changes wait for nothing.
        </p>
      ) : (
        <ul className="text-[14px]">
          {linked.map((step) => (
            <li key={keyOf(step)} className="border-b border-line py-0.5 last:border-0">
              <span className="font-mono text-[13px]">{step.change}</span> {step.says}
              <span className="text-ink-2">
                {" "}
                waits for{" "}
                {waitsFor(change, step)
                  .map((one) => `${one.change} ${one.says}`)
                  .join(", ")}
              </span>
            </li>
          ))}
        </ul>
      )}
      {isOpen ? <Links ticket={ticket} change={change} onClose={() => setOpen(false)} /> : null}
    </div>
  );
}

function Links({ ticket, change, onClose }: { ticket: Ticket; change: Change; onClose: () => void }) {
  const [links, setLinks] = useState<Link[]>(change.links);
  const { write, isBusy, problem } = useTicketWrite(ticket.id, true);
  const save = async () => {
    const body = { links };
    if (await write(ok(api.PUT("/api/changes/{number}/links", { params: { path: { number: ticket.id } }, body })), "The links are kept."))
      onClose();
  };
  const phaseAt = (name: string) => change.phases.findIndex((one) => one.name === name);
  return (
    <Dialog
      title="Which step waits for which"
      about="The steps of one change follow each other anyway. A step waits for none of a later phase."
      isOpen
      onClose={onClose}
    >
      <ol className="max-h-[56vh] overflow-y-auto px-1">
        {change.plan.map((step) => {
          const mine = links.filter((link) => keyOf(link.step) === keyOf(step));
          const offered = change.plan.filter(
            (one) =>
              one.change !== step.change &&
              phaseAt(one.phase) <= phaseAt(step.phase) &&
              !mine.some((link) => keyOf(link.waits_for) === keyOf(one)),
          );
          return (
            <li key={keyOf(step)} className="border-b border-line py-1.5 last:border-0">
              <span className="font-mono text-[13px]">{step.change}</span> {step.says}
              <span className="text-[13px] text-ink-2"> {step.phase}</span>
              <span className="flex flex-wrap items-center gap-1.5 text-[13px]">
                {mine.map((link) => {
                  const on = change.plan.find((one) => keyOf(one) === keyOf(link.waits_for));
                  return (
                    <button
                      key={keyOf(link.waits_for)}
                      type="button"
                      className="min-h-[24px] rounded-small bg-sea-3 px-1.5"
                      aria-label={`“${step.says}” no longer waits for “${on?.says ?? ""}”`}
                      onClick={() => setLinks(links.filter((one) => one !== link))}
                    >
                      after {link.waits_for.change} {on?.says} ×
                    </button>
                  );
                })}
                <select
                  aria-label={`What “${step.says}” waits for`}
                  className="min-h-[26px] max-w-[260px] rounded-small border border-line-2 bg-sheet px-1"
                  value=""
                  disabled={offered.length === 0}
                  onChange={(event) =>
                    setLinks([...links, { step: { change: step.change, step: step.step }, waits_for: placeOf(event.target.value) }])
                  }
                >
                  <option value="">waits for…</option>
                  {offered.map((one) => (
                    <option key={keyOf(one)} value={keyOf(one)}>
                      {one.change} {one.says}
                    </option>
                  ))}
                </select>
              </span>
            </li>
          );
        })}
      </ol>
      {problem ? <ErrorNote>{problem}</ErrorNote> : null}
      <p className="mt-3 flex gap-2">
        <Button tone="sea" disabled={isBusy} onClick={() => void save()}>
          Keep the links
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </p>
    </Dialog>
  );
}
