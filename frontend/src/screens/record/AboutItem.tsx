import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ok, type Ticket } from "../../api/client";
import { DAY, span, when } from "../../parts/time";
import { stands } from "../services/ItsChanges";
import { Panel } from "./Panel";

const SHOWN = 5;

/** Whether a change was done shortly before something was reported. */
function wentIn(one: { ended_s: number | null }, ticket: Ticket): boolean {
  return one.ended_s !== null && one.ended_s <= ticket.opened_s && one.ended_s > ticket.opened_s - LATELY;
}

const LATELY = 7 * DAY;

/** What is known of the item at fault: how often it is, what was done to it lately, what it carries. */
export function AboutItem({ ticket }: { ticket: Ticket }) {
  const number = ticket.facts.ci?.id ?? 0;
  const { data } = useQuery({
    queryKey: ["item", number],
    queryFn: () => ok(api.GET("/api/estate/items/{number}", { params: { path: { number } } })),
    enabled: number > 0,
    staleTime: 60_000,
  });
  if (!data) return null;
  const now = data.now_s;
  const [before, last] = [data.weeks.at(-2) ?? 0, data.weeks.at(-1) ?? 0];
  const usual = data.weeks.slice(0, -2).reduce((sum, one) => sum + one, 0) / 5;
  const others = data.open_incidents.filter((one) => one.id !== ticket.id);
  const lately = data.history.find((one) => one.at_s <= ticket.opened_s && one.at_s > ticket.opened_s - LATELY);
  return (
    <Panel title={data.name} note={[data.kind, data.place].filter(Boolean).join(", ")}>
      <p>
        <b>{before + last}</b> {before + last === 1 ? "incident" : "incidents"} in 14 days, usually {Math.round(usual * 10) / 10}
        {others.length > 0 ? `; ${others.length} other open: ` : "."}
        {others.slice(0, SHOWN).map((one) => (
          <Link key={one.id} to={`/desk/tickets/${one.id}`} title={one.title} className="mr-1.5 font-mono text-[13px] underline">
            {one.id}
          </Link>
        ))}
      </p>
      {lately ? (
        <p className="mt-1 rounded-small bg-crown-2 px-2 py-1">
          {lately.sentence}, <b>{span(ticket.opened_s - lately.at_s)} before this was reported</b>{" "}
          <span className="text-[13px]">({when(lately.at_s, now)})</span>
        </p>
      ) : null}
      {data.changes
        .filter((one) => one.began_s === null || one.began_s <= ticket.opened_s || one.ended_s === null)
        .slice(0, SHOWN)
        .map((one) => (
          <p key={one.id} className={`mt-1 ${wentIn(one, ticket) ? "rounded-small bg-crown-2 px-2 py-1" : ""}`}>
            <Link to={`/desk/tickets/${one.id}`} className="hover:underline">
              change <span className="font-mono text-[13px]">{one.id}</span> {one.title}
            </Link>{" "}
            {wentIn(one, ticket) ? (
              <b>went in {span(ticket.opened_s - (one.ended_s ?? 0))} before this was reported</b>
            ) : (
              <span className="text-[13px] text-ink-2">{stands(one, now)}</span>
            )}
          </p>
        ))}
      {data.problems.map((one) => (
        <p key={one.id} className="mt-1">
          <Link to={`/desk/tickets/${one.id}`} className="hover:underline">
            problem <span className="font-mono text-[13px]">{one.id}</span> {one.title}
          </Link>{" "}
          <span className="text-[13px] text-ink-2">{one.state}</span>
        </p>
      ))}
      {data.drifts > 0 ? (
        <p className="mt-1">
          {data.drifts} {data.drifts === 1 ? "attribute was" : "attributes were"} seen otherwise than recorded.
        </p>
      ) : null}
      <p className="mt-1 text-[13px] text-ink-2">
        {data.carries_count > 0
          ? `Carries ${data.carries
              .slice(0, SHOWN)
              .map((one) => one.name)
              .join(", ")}${data.carries_count > SHOWN ? ` and ${data.carries_count - SHOWN} more` : ""}. `
          : "Nothing is recorded that stands on it. "}
        <Link to={`/desk/items/${number}`} className="underline">
          its page
        </Link>{" "}
        ·{" "}
        <Link to={`/desk/services/map?node=${data.node}`} className="underline">
          who is hurt if it stops
        </Link>
      </p>
    </Panel>
  );
}
