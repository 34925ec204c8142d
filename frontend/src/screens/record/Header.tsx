import type { Ticket } from "../../api/client";
import { Number } from "../../parts/marks";
import { can, onBar, type RecordAct, shown } from "../../parts/recordActs";
import { exact, when } from "../../parts/time";
import { ActButton, MoreMenu, RoutinesMenu } from "./Menus";
import { stateWords } from "./words";

interface HeaderProps {
  ticket: Ticket;
  now: number;
  others: { name: string; is_typing: boolean }[];
  isBusy: boolean;
  onAct: (act: RecordAct) => void;
  onRemind: () => void;
  onRoutine: (routine: number) => void;
}

/** What it is, where it stands, who else looks at it, and what can be done. */
export function Header({ ticket, now, others, isBusy, onAct, onRemind, onRoutine }: HeaderProps) {
  return (
    <div className="mb-2.5 flex flex-wrap items-start gap-x-6 gap-y-2">
      <div className="min-w-0 flex-1 basis-[420px]">
        <p className="flex flex-wrap items-center gap-x-1.5 text-[13px] text-ink-2">
          <span className="inline-flex items-center gap-1.5">
            <span aria-hidden="true">{ticket.change?.is_release ? "release" : ticket.kind}</span> <Number row={ticket} />
          </span>
          <span>
            · opened <time title={exact(ticket.opened_s)}>{when(ticket.opened_s, now)}</time>{" "}
            {ticket.channel === "desk" ? "by" : `by ${ticket.channel} from`} <b className="text-ink">{ticket.facts.requester.name}</b>
            {ticket.facts.place ? `, ${ticket.facts.place}` : ""}
          </span>
          {ticket.facts.care_tier ? (
            <span className="ml-1 rounded bg-crown-2 px-2 text-ink">
              {ticket.facts.care_tier} · {Math.round(+ticket.facts.care_share * 100)} % of the target
            </span>
          ) : null}
          {ticket.is_major_suggested ? (
            <span className="ml-1 rounded border border-rust px-1.5 font-semibold text-rust">suggested as major</span>
          ) : null}
          {ticket.is_confidential ? (
            <span className="ml-1 rounded border border-ink px-1.5 font-semibold text-ink">confidential</span>
          ) : null}
        </p>
        <h1 className="text-[21px] font-bold leading-tight">{ticket.title}</h1>
        <p className="mt-0.5 text-[13px] text-ink-2" aria-live="polite">
          {stateWords(ticket, now)}
          {others.length > 0 ? (
            <b className="ml-2 font-semibold text-sea">
              {others.map((other) => `${other.name} is ${other.is_typing ? "typing" : "here"}`).join(", ")}
            </b>
          ) : null}
        </p>
      </div>
      <div className="flex flex-wrap gap-2">
        {onBar(ticket).map((one) => (
          <ActButton key={one.name} act={one} onPress={onAct} isBusy={isBusy} />
        ))}
        {can(ticket, "change") && ticket.is_open ? <RoutinesMenu onPick={onRoutine} /> : null}
        <MoreMenu ticket={ticket} onAct={onAct} onRemind={onRemind} />
        {shown(ticket, "main").map((one, at, all) => (
          <ActButton key={one.name} act={one} onPress={onAct} isBusy={isBusy} isMain={at === all.length - 1} />
        ))}
      </div>
    </div>
  );
}
