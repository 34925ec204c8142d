import { useState } from "react";
import { api, ok, type Ticket } from "../../api/client";
import { useNow } from "../../parts/hooks";
import { span, when } from "../../parts/time";
import { Button, inputClass } from "../../parts/ui";
import { Panel } from "./Panel";
import { useTicketWrite } from "../../parts/useTicketWrite";

/** Minutes spent: written down, or measured from start to stop. */
export function Time({ ticket }: { ticket: Ticket }) {
  const now = useNow();
  const { time } = ticket;
  const { write, isBusy } = useTicketWrite(ticket.id);
  const [minutes, setMinutes] = useState("");
  const [what, setWhat] = useState("");
  const [isShown, setShown] = useState(false);
  const path = { params: { path: { number: ticket.id } } };
  const add = async () => {
    const done = time.running_since_s
      ? await write(
          ok(api.POST("/api/tickets/{number}/time/stop", { ...path, body: { what, minutes: minutes ? Math.round(+minutes) : null } })),
          "Written down.",
        )
      : await write(
          ok(api.POST("/api/tickets/{number}/time", { ...path, body: { minutes: Math.round(+minutes), what } })),
          "Written down.",
        );
    if (done) {
      setMinutes("");
      setWhat("");
    }
  };
  const note = [
    time.total_minutes > 0 ? `${span(time.total_minutes * 60)} in all` : "none yet",
    ...time.others_running.map((name) => `${name}'s time runs`),
  ].join(" · ");
  return (
    <Panel title="Time" note={note}>
      {time.by_person.length > 1 ? (
        <p className="text-[13px] text-ink-2">{time.by_person.map((one) => `${String(one.name)} ${String(one.minutes)} min`).join(", ")}</p>
      ) : null}
      <form
        className="flex flex-wrap items-center gap-1.5"
        onSubmit={(event) => {
          event.preventDefault();
          void add();
        }}
      >
        <input
          aria-label="Minutes"
          type="number"
          min={1}
          max={1440}
          placeholder={time.running_since_s ? String(Math.max(1, Math.ceil((now - time.running_since_s) / 60))) : "min"}
          className={`${inputClass} !w-[68px]`}
          value={minutes}
          onChange={(event) => setMinutes(event.target.value)}
        />
        <input
          aria-label="What for"
          placeholder="what for"
          maxLength={200}
          className={`${inputClass} !w-auto min-w-0 flex-1`}
          value={what}
          onChange={(event) => setWhat(event.target.value)}
        />
        <Button type="submit" disabled={isBusy || (!time.running_since_s && !minutes)}>
          {time.running_since_s ? "Stop" : "Add"}
        </Button>
        {time.running_since_s ? (
          <b className="text-[13px]">runs since {when(time.running_since_s, now)}</b>
        ) : (
          <Button
            tone="quiet"
            disabled={isBusy}
            onClick={() => void write(ok(api.POST("/api/tickets/{number}/time/start", path)), "Your time runs.")}
          >
            Start
          </Button>
        )}
      </form>
      {time.entries.length > 0 ? (
        <>
          <button type="button" className="why mt-1 min-h-[24px] text-[13px]" aria-expanded={isShown} onClick={() => setShown(!isShown)}>
            {isShown ? "hide" : `${time.entries.length} entr${time.entries.length === 1 ? "y" : "ies"}`}
          </button>
          {isShown ? (
            <ul className="text-[13px]">
              {time.entries.map((entry) => (
                <li key={entry.id} className="flex gap-2 py-0.5">
                  <b>{entry.minutes} min</b>
                  <span className="min-w-0 flex-1 truncate">
                    {entry.person}
                    {entry.what ? `, ${entry.what}` : ""} · {when(entry.at_s, now)}
                  </span>
                  {entry.is_mine ? (
                    <button
                      type="button"
                      className="min-h-[24px] underline"
                      onClick={() =>
                        void write(
                          ok(
                            api.DELETE("/api/tickets/{number}/time/{entry}", { params: { path: { number: ticket.id, entry: entry.id } } }),
                          ),
                          "Removed.",
                        )
                      }
                    >
                      remove
                    </button>
                  ) : null}
                </li>
              ))}
            </ul>
          ) : null}
        </>
      ) : null}
    </Panel>
  );
}
