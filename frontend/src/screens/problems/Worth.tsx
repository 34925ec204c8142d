import { Popover } from "radix-ui";
import { useState } from "react";
import { Link } from "react-router";
import { api, ok, type Ticket } from "../../api/client";
import type { components } from "../../api/schema";
import { AmountInput } from "../../parts/AmountInput";
import { about, money } from "../../parts/money";
import { instantOfLocal, localInput, when } from "../../parts/time";
import { Button, Dialog, Field, inputClass } from "../../parts/ui";
import { useTicketWrite } from "../../parts/useTicketWrite";
import { WhenInput } from "../../parts/WhenInput";
import { Panel } from "../record/Panel";
import { Foot } from "./Causes";

type Figure = components["schemas"]["FigureShape"];
type Worth = components["schemas"]["WorthShape"];
type Over = "fix" | "live" | Figure;

/** What it has cost, what it goes on costing, what the fix costs and when that pays back. */
export function WorthPanel({ ticket, now }: { ticket: Ticket; now: number }) {
  const [over, setOver] = useState<Over | null>(null);
  const { write, isBusy } = useTicketWrite(ticket.id);
  const problem = ticket.problem;
  if (!problem) return null;
  const { worth, live } = problem;
  const [soFar, goingOn] = worth.figures;
  if (!soFar || !goingOn) return null;
  const canEdit = ticket.is_open && ticket.acts.some((act) => act.name === "change" && act.why_not === "");
  const canWait = ticket.acts.some((act) => act.name === "wait" && act.why_not === "");
  const decide = () =>
    write(ok(api.POST("/api/problems/{number}/fix", { params: { path: { number: ticket.id } } })), "It is decided to fix it.");
  return (
    <Panel title="Cost and return">
      <dl className="grid grid-cols-[minmax(120px,auto)_1fr] gap-x-3 gap-y-1">
        <FigureRow label="So far" figure={soFar} worth={worth} onChange={canEdit ? () => setOver(soFar) : undefined} />
        <FigureRow label="Going on, a month" figure={goingOn} worth={worth} onChange={canEdit ? () => setOver(goingOn) : undefined} />
        <dt className="text-ink-2">The fix</dt>
        <dd>
          {worth.fix_pence === null ? (
            <span className="text-ink-2">not costed</span>
          ) : (
            <>
              <b>{money(worth.fix_pence)}</b> once <span className="text-ink-2">– {worth.fix_about}</span>
            </>
          )}{" "}
          {canEdit ? (
            <button type="button" className="min-h-[24px] text-[13px] underline" onClick={() => setOver("fix")}>
              {worth.fix_pence === null ? "cost it…" : "change…"}
            </button>
          ) : null}
        </dd>
        {worth.fix_pence === null ? null : (
          <>
            <dt className="text-ink-2">Pays back after</dt>
            <dd>
              <b>{worth.never_pays ? "never" : months(worth.pays_back_months ?? 0)}</b>
              {worth.never_pays ? <span className="text-ink-2"> – going on costs nothing</span> : null}
            </dd>
          </>
        )}
      </dl>
      {worth.fix_pence !== null && goingOn.pence > 0 ? <Return fix={worth.fix_pence} month={goingOn.pence} /> : null}
      {live ? (
        <p className="mt-1.5">
          Lived with until <b>{when(live.until_s, now)}</b>, decided by {live.by}: {live.why}
        </p>
      ) : null}
      {problem.is_fix_decided ? <p className="mt-1.5 font-semibold">It is decided to fix it.</p> : null}
      {canEdit ? (
        <p className="mt-1.5 flex flex-wrap gap-2">
          {!problem.is_fix_decided && worth.fix_pence !== null ? (
            <Button disabled={isBusy} onClick={() => void decide()}>
              Decide to fix it
            </Button>
          ) : null}
          {canWait ? <Button onClick={() => setOver("live")}>{live ? "Live with it longer…" : "Live with it until…"}</Button> : null}
        </p>
      ) : null}
      {over === "fix" ? <CostFix ticket={ticket} onClose={() => setOver(null)} /> : null}
      {over === "live" ? <LiveWith ticket={ticket} now={now} onClose={() => setOver(null)} /> : null}
      {over && typeof over === "object" ? <Instead ticket={ticket} figure={over} onClose={() => setOver(null)} /> : null}
    </Panel>
  );
}

export function months(count: number): string {
  return `${count.toLocaleString("en-GB")} ${count === 1 ? "month" : "months"}`;
}

function FigureRow({
  label,
  figure,
  worth,
  onChange,
}: {
  label: string;
  figure: Figure;
  worth: Worth;
  onChange: (() => void) | undefined;
}) {
  const isMonth = figure.name === "cost of going on";
  return (
    <>
      <dt className="text-ink-2">{label}</dt>
      <dd>
        <b>{about(figure.pence)}</b>{" "}
        <Popover.Root>
          <Popover.Trigger asChild>
            <button type="button" className="why text-ink-2">
              {figure.lost_hours} h lost, {figure.desk_hours} h of the desk
            </button>
          </Popover.Trigger>
          <Popover.Portal>
            <Popover.Content
              align="start"
              sideOffset={6}
              collisionPadding={12}
              className="z-40 max-h-[70vh] w-[min(460px,92vw)] overflow-y-auto rounded-card border border-line-2 bg-sheet px-4 py-3 text-ink"
            >
              <h2 className="font-bold">
                {figure.name} <span className="font-normal text-ink-2">{about(figure.computed_pence)} computed</span>
              </h2>
              <p className="text-ink-2">
                {isMonth ? "A third of the incidents of the last 90 days. " : ""}
                People stopped × hours × share lost, at {money(worth.lost_hour_pence)} an hour; the desk at {money(worth.desk_hour_pence)}.
              </p>
              <ul className="mt-1">
                {figure.incidents.map((one) => (
                  <li key={one.id} className="flex gap-2 py-0.5">
                    <Link to={`/desk/tickets/${one.id}`} className="font-mono text-[13px] underline">
                      {one.id}
                    </Link>
                    <span className="flex-1 text-[13px] text-ink-2">
                      {one.people} × {Math.round(one.share * 100)} %: {one.lost_hours} h
                      {one.desk_hours > 0 ? `, desk ${one.desk_hours} h` : ""}
                    </span>
                    <span>{about(one.pence)}</span>
                  </li>
                ))}
              </ul>
              {figure.rest_pence > 0 ? <p className="text-right">the others {about(figure.rest_pence)}</p> : null}
              {figure.count === 0 ? <p>No incident counts.</p> : null}
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
        {figure.instead ? (
          <span className="block text-[13px]">
            as {figure.instead.who} said instead of {about(figure.computed_pence)}: {figure.instead.reason}
          </span>
        ) : null}{" "}
        {onChange ? (
          <button type="button" className="min-h-[24px] text-[13px] underline" aria-label={`Correct ${figure.name}`} onClick={onChange}>
            correct…
          </button>
        ) : null}
      </dd>
    </>
  );
}

/** Going on against the fix: where the lines cross it has paid for itself. */
function Return({ fix, month }: { fix: number; month: number }) {
  const cross = fix / month;
  const span = Math.max(4, Math.ceil(cross * 1.4));
  const isFar = cross > 60;
  if (isFar) return null;
  const most = Math.max(fix, month * span);
  const x = (count: number) => 30 + (count / span) * 280;
  const y = (pence: number) => 66 - (pence / most) * 56;
  return (
    <svg viewBox="0 0 330 84" className="mt-1 h-[84px] w-full max-w-[360px]" aria-hidden="true">
      <line x1={30} x2={310} y1={66} y2={66} className="stroke-line-2" />
      <line x1={30} x2={310} y1={y(fix)} y2={y(fix)} className="stroke-ink" strokeWidth={2} />
      <line x1={30} y1={66} x2={x(span)} y2={y(month * span)} className="stroke-rust" strokeWidth={2} />
      <circle cx={x(cross)} cy={y(fix)} r={4.5} className="fill-sheet stroke-ink" strokeWidth={2} />
      <text x={30} y={80} className="fill-ink-2 text-[11px]">
        now
      </text>
      <text x={310} y={80} textAnchor="end" className="fill-ink-2 text-[11px]">
        {span} months
      </text>
      <text x={Math.min(x(cross), 260)} y={y(fix) - 8} className="fill-ink text-[11px] font-bold">
        {months(Math.round(cross * 10) / 10)}
      </text>
    </svg>
  );
}

function CostFix({ ticket, onClose }: { ticket: Ticket; onClose: () => void }) {
  const worth = ticket.problem?.worth;
  const [about, setAbout] = useState(worth?.fix_about ?? "");
  const [amount, setAmount] = useState<number | null>(typeof worth?.fix_pence === "number" ? worth.fix_pence / 100 : null);
  const { write, isBusy, fields } = useTicketWrite(ticket.id, true);
  const save = async () => {
    const body = { about, pence: Math.round((amount ?? 0) * 100) };
    if (await write(ok(api.PUT("/api/problems/{number}/fix", { params: { path: { number: ticket.id } }, body })))) onClose();
  };
  return (
    <Dialog title="What the fix costs" isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (amount !== null) void save();
        }}
      >
        <Field label="What would be done" error={fields.about}>
          {(props) => (
            <input
              {...props}
              autoFocus
              maxLength={300}
              className={inputClass}
              value={about}
              onChange={(event) => setAbout(event.target.value)}
            />
          )}
        </Field>
        <Field label="What it costs, once" error={fields.pence}>
          {(props) => <AmountInput props={props} isMoney least={0} value={amount} onChange={setAmount} />}
        </Field>
        <Foot label="Keep" isBusy={isBusy || amount === null} onClose={onClose} />
      </form>
    </Dialog>
  );
}

function Instead({ ticket, figure, onClose }: { ticket: Ticket; figure: Figure; onClose: () => void }) {
  const [amount, setAmount] = useState<number | null>(figure.pence / 100);
  const [reason, setReason] = useState(figure.instead?.reason ?? "");
  const { write, isBusy, fields } = useTicketWrite(ticket.id, true);
  const send = async (pence: number | null) => {
    const body = { figure: figure.name, pence, reason: pence === null ? "" : reason };
    if (await write(ok(api.POST("/api/problems/{number}/figures", { params: { path: { number: ticket.id } }, body })))) onClose();
  };
  return (
    <Dialog title={`Correct the ${figure.name}`} about={`${about(figure.computed_pence)} is computed; both stay.`} isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (amount !== null) void send(Math.round(amount * 100));
        }}
      >
        <Field label="What counts instead" error={fields.pence}>
          {(props) => <AmountInput props={props} isMoney least={0} value={amount} onChange={setAmount} />}
        </Field>
        <Field label="Why" error={fields.reason}>
          {(props) => (
            <input {...props} maxLength={200} className={inputClass} value={reason} onChange={(event) => setReason(event.target.value)} />
          )}
        </Field>
        <Foot label="Let it count" isBusy={isBusy || amount === null} onClose={onClose}>
          {figure.instead ? (
            <Button tone="quiet" disabled={isBusy} onClick={() => void send(null)}>
              The computed one counts
            </Button>
          ) : null}
        </Foot>
      </form>
    </Dialog>
  );
}

function LiveWith({ ticket, now, onClose }: { ticket: Ticket; now: number; onClose: () => void }) {
  const [until, setUntil] = useState("");
  const [why, setWhy] = useState("");
  const { write, isBusy, fields, problem } = useTicketWrite(ticket.id, true);
  const save = async () => {
    const body = { until: until ? new Date(instantOfLocal(until) * 1000).toISOString() : "", why };
    const path = { params: { path: { number: ticket.id } } };
    if (await write(ok(api.POST("/api/problems/{number}/live-with", { ...path, body })), "It comes back on that date.")) onClose();
  };
  const going = ticket.problem?.worth.figures[1];
  return (
    <Dialog
      title="Live with it"
      about={going ? `It goes on costing ${about(going.pence)} a month; the figures of now are kept with the decision.` : undefined}
      isOpen
      onClose={onClose}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void save();
        }}
      >
        <Field label="Until" error={fields.until}>
          {(props) => <WhenInput props={props} autoFocus value={until} min={localInput(now)} onChange={setUntil} />}
        </Field>
        <Field label="Why it is lived with" error={fields.why}>
          {(props) => (
            <input {...props} maxLength={300} className={inputClass} value={why} onChange={(event) => setWhy(event.target.value)} />
          )}
        </Field>
        {problem && Object.keys(fields).length === 0 ? <p className="text-rust">{problem}</p> : null}
        <Foot label="Live with it" isBusy={isBusy} onClose={onClose} />
      </form>
    </Dialog>
  );
}
