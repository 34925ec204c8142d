import { Popover } from "radix-ui";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { Number, PriorityMark } from "../../parts/marks";
import { Menu, MenuItem } from "../../parts/Menu";
import { exact, span, when } from "../../parts/time";
import { ActDialog } from "../../parts/acts";
import { useTicket } from "../../parts/Reader";
import { Button, Field, inputClass } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { DeclareAgain, StandDown } from "./EndDialogs";
import { ReportDialog } from "./ReportDialog";
import { useRoomAct } from "./room";
import { type Figure, figureOf, type Room } from "./roomWords";
import { RolesDialog } from "./RolesDialog";

/** Its call sign, how long and how far, who leads, and what can be done with the whole. */
export function RoomHead({ room, now, onFind }: { room: Room; now: number; onFind: () => void }) {
  const { me } = useSession();
  const [over, setOver] = useState<"roles" | "down" | "again" | "report" | "page" | null>(null);
  const people = figureOf(room, "people");
  const services = figureOf(room, "services");
  const until = room.stood_down_s ?? now;
  const join = async () => {
    try {
      const { link } = await ok(api.POST("/api/rooms/{number}/call", { params: { path: { number: room.id } } }));
      window.open(link, "_blank", "noopener");
    } catch (error) {
      toast.error(sentence(error));
    }
  };
  return (
    <header className="flex flex-wrap items-start gap-x-5 gap-y-2">
      <div className="min-w-[220px]">
        <p className="flex flex-wrap items-center gap-1.5 text-[13px] text-ink-2">
          <span aria-hidden="true">major incident</span>
          {me?.reads_desk ? (
            <Link to={`/desk/tickets/${room.id}`} className="hover:underline">
              <Number row={{ id: room.id, kind: "major incident" }} />
            </Link>
          ) : (
            <Number row={{ id: room.id, kind: "major incident" }} />
          )}
          <PriorityMark priority={room.priority} />
          <span title={exact(room.declared_s)}>declared {when(room.declared_s, now)}</span>
          {room.is_drill ? <Mark words="drill: nothing has happened" /> : null}
          {room.is_confidential ? <Mark words="closed circle" /> : null}
          {room.stood_down_s ? <Mark words={`stood down ${when(room.stood_down_s, now)}`} /> : null}
        </p>
        <h1 className="text-[25px] font-bold leading-tight">{room.call_sign}</h1>
        <p className="max-w-[420px]">{room.title}</p>
      </div>
      <dl className="flex flex-wrap gap-x-4 gap-y-1">
        <Figured words={span(until - room.declared_s)} below={room.stood_down_s ? "until it was stood down" : "since declared"} />
        {people ? (
          <Figured
            words={`${String(people.counts ?? 0)} ${people.counts === 1 ? "person" : "people"}`}
            below="affected"
            figure={people}
            room={room}
          />
        ) : null}
        {services ? (
          <Figured
            words={`${String(services.counts ?? 0)} ${services.counts === 1 ? "service" : "services"}`}
            below="reached"
            figure={services}
            room={room}
          />
        ) : null}
      </dl>
      <div className="border-l border-line pl-3.5 max-[700px]:border-0 max-[700px]:pl-0">
        <dl className="flex max-w-[320px] flex-wrap gap-x-3">
          {[...new Set([...room.wanted_roles, ...room.roles.map((one) => one.role)])].map((role) => {
            const held = room.roles.find((one) => one.role === role);
            return (
              <div key={role} className="flex gap-1">
                <dt className="text-ink-2">{role}</dt>
                <dd className={held ? "font-semibold" : "text-rust"}>{held?.person.name ?? "not taken"}</dd>
              </div>
            );
          })}
        </dl>
        {room.may.work ? (
          <button type="button" className="min-h-[24px] text-[13px] underline" onClick={() => setOver("roles")}>
            take or hand over a role
          </button>
        ) : null}
      </div>
      <div className="ml-auto flex flex-wrap justify-end gap-2">
        {room.conference && room.may.run ? <Button onClick={() => void join()}>Join the call</Button> : null}
        {room.may.lead && room.may.run ? <Button onClick={() => setOver("down")}>Stand down…</Button> : null}
        {!room.may.run && room.may.declare ? <Button onClick={() => setOver("again")}>Declare again…</Button> : null}
        <Menu label="More">
          <MenuItem onSelect={() => setTimeout(onFind, 0)}>Find in the room</MenuItem>
          {room.may.work ? <MenuItem onSelect={() => setTimeout(() => setOver("report"), 0)}>Situation report…</MenuItem> : null}
          {room.may.work && room.may.run ? <MenuItem onSelect={() => setTimeout(() => setOver("page"), 0)}>Page on call…</MenuItem> : null}
          <MenuItem onSelect={() => window.open(`/api/rooms/${room.id}/review/paper`, "_blank", "noopener")}>All of it as PDF</MenuItem>
        </Menu>
      </div>
      {over === "roles" ? <RolesDialog room={room} now={now} onClose={() => setOver(null)} /> : null}
      {over === "down" ? <StandDown room={room} onClose={() => setOver(null)} /> : null}
      {over === "again" ? <DeclareAgain room={room} onClose={() => setOver(null)} /> : null}
      {over === "page" ? <PageOnCall number={room.id} onClose={() => setOver(null)} /> : null}
      {over === "report" ? <ReportDialog room={room} now={now} onClose={() => setOver(null)} /> : null}
    </header>
  );
}

/** Pages whoever is on call of a team, from the room. */
function PageOnCall({ number, onClose }: { number: number; onClose: () => void }) {
  const { data: ticket } = useTicket(number);
  return ticket ? <ActDialog ticket={ticket} act="page" onClose={onClose} /> : null;
}

function Mark({ words }: { words: string }) {
  return <span className="rounded border border-rust px-1.5 font-semibold text-rust">{words}</span>;
}

function Figured({ words, below, figure, room }: { words: string; below: string; figure?: Figure; room?: Room }) {
  return (
    <div className="flex flex-col-reverse justify-end">
      <dt className="text-[13px] text-ink-2">
        {below}
        {figure?.said !== null && figure?.said !== undefined ? `, as ${figure.who} says` : ""}{" "}
        {figure && room ? <WhyFigure figure={figure} room={room} /> : null}
      </dt>
      <dd className="text-[17px] font-bold leading-tight">{words}</dd>
    </div>
  );
}

/** What a figure was derived from, and saying another with the reason. */
function WhyFigure({ figure, room }: { figure: Figure; room: Room }) {
  const [value, setValue] = useState("");
  const [why, setWhy] = useState("");
  const { act, isBusy, fields } = useRoomAct(room.id);
  const say = (next: number | null) =>
    act(
      () =>
        ok(
          api.POST("/api/rooms/{number}/figures", {
            params: { path: { number: room.id } },
            body: { figure: figure.name, value: next, why },
          }),
        ),
      next === null ? "The derived figure counts again." : "It counts, with your reason.",
      true,
    );
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <button type="button" className="why text-ink-2 hover:text-ink" aria-label={`why: ${figure.name}`}>
          why
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          sideOffset={6}
          collisionPadding={8}
          className="z-40 w-[320px] rounded-card border border-line-2 bg-sheet p-3.5 text-ink"
        >
          <p className="font-bold">
            {figure.counts ?? 0} {figure.name}
          </p>
          <ul className="mt-1">
            {figure.parts.map((part) => (
              <li key={part}>{part}</li>
            ))}
          </ul>
          {figure.said !== null ? (
            <p className="mt-2">
              Derived: {figure.derived}. {figure.who} says {figure.said}: “{figure.why}”
            </p>
          ) : null}
          {room.may.work ? (
            <form
              className="mt-3 flex flex-col gap-2 border-t border-line pt-2"
              onSubmit={(event) => {
                event.preventDefault();
                void say(value === "" ? null : +value);
              }}
            >
              <Field label="Say another figure" error={fields.value}>
                {(props) => (
                  <input
                    {...props}
                    type="number"
                    min={0}
                    max={10_000_000}
                    className={inputClass}
                    value={value}
                    onChange={(event) => setValue(event.target.value)}
                  />
                )}
              </Field>
              <Field label="Why" error={fields.why}>
                {(props) => <input {...props} className={inputClass} value={why} onChange={(event) => setWhy(event.target.value)} />}
              </Field>
              <span className="flex gap-2">
                <Button type="submit" tone="sea" disabled={isBusy || value === ""}>
                  Let it count
                </Button>
                {figure.said !== null ? (
                  <Button disabled={isBusy} onClick={() => void say(null)}>
                    The derived one again
                  </Button>
                ) : null}
              </span>
            </form>
          ) : null}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
