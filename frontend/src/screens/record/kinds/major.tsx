import { Link } from "react-router";
import type { Ticket } from "../../../api/client";
import { useNow } from "../../../parts/hooks";
import { span, when } from "../../../parts/time";
import type { KindPage } from ".";

function Top({ ticket }: { ticket: Ticket }) {
  const now = useNow();
  const major = ticket.major;
  if (!major) return null;
  const lead = major.roles.find((one) => one.role === "lead")?.person.name;
  return (
    <section
      aria-label="Its room"
      className={`mt-3 flex flex-wrap items-center gap-x-4 gap-y-1 rounded-card border px-3.5 py-2 ${major.stood_down_s ? "border-line bg-sheet" : "border-rust bg-rust-2"}`}
    >
      <b className="text-[17px]">{major.call_sign}</b>
      {major.is_drill ? (
        <span className="rounded border border-rust px-1.5 font-semibold text-rust">drill: nothing has happened</span>
      ) : null}
      <span>
        {major.stood_down_s ? `stood down ${when(major.stood_down_s, now)}` : `running for ${span(now - major.declared_s)}`}
        {lead ? `, lead ${lead}` : ""}
      </span>
      {major.next_due_s !== null ? (
        <span className={major.next_due_s < now ? "font-semibold text-rust" : ""}>
          {major.next_due_s < now ? `an update is ${span(now - major.next_due_s)} late` : `next update in ${span(major.next_due_s - now)}`}
        </span>
      ) : null}
      <Link className="ml-auto font-semibold underline" to={`/desk/rooms/${ticket.id}`}>
        Go to the room
      </Link>
    </section>
  );
}

/** A major incident's record leads to its room, where the work is done. */
export const major: KindPage = {
  top: (ticket) => <Top ticket={ticket} />,
  hidesHelp: true,
};
