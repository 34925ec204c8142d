import { useState } from "react";
import { Link } from "react-router";
import { api, ok } from "../../api/client";
import { Number } from "../../parts/marks";
import { exact, when } from "../../parts/time";
import { Button } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { GatherDialog } from "./GatherDialog";
import { useRoomAct } from "./room";
import { Files } from "./Files";
import { Part } from "./RoomPart";
import { figureOf, type Room } from "./roomWords";
import { TogetherDialog } from "./TogetherDialog";

/** What stands beside the talk: the summary, first things to do, tasks, files, incidents. */
export function Beside({ room, now }: { room: Room; now: number }) {
  return (
    <div className="rounded-card border border-line bg-sheet">
      <Summary room={room} />
      {room.checklist.length > 0 ? <Checklist room={room} now={now} /> : null}
      <TasksOf room={room} now={now} />
      <Files room={room} now={now} />
      <Incidents room={room} />
      <Related room={room} />
    </div>
  );
}

function Summary({ room }: { room: Room }) {
  const [text, setText] = useState<string | null>(null);
  const { act, isBusy } = useRoomAct(room.id);
  const save = async () => {
    const isDone = await act(() =>
      ok(api.PUT("/api/rooms/{number}/summary", { params: { path: { number: room.id } }, body: { text: text ?? "" } })),
    );
    if (isDone) setText(null);
  };
  return (
    <Part
      title="What is known"
      action={
        room.may.work && text === null ? (
          <Button tone="quiet" aria-label="Write what is known" onClick={() => setText(room.summary || drafted(room))}>
            Write
          </Button>
        ) : null
      }
    >
      {text === null ? (
        <p className={`whitespace-pre-wrap break-words ${room.summary ? "" : "text-ink-2"}`}>
          {room.summary || "Nobody has summed it up yet."}
        </p>
      ) : (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            void save();
          }}
        >
          <textarea
            aria-label="What is known"
            autoFocus
            rows={4}
            className="w-full rounded-small border border-line-2 bg-sheet px-2.5 py-1.5"
            value={text}
            onChange={(event) => setText(event.target.value)}
          />
          <span className="mt-1 flex justify-end gap-2">
            <Button onClick={() => setText(null)}>Cancel</Button>
            <Button type="submit" tone="sea" disabled={isBusy}>
              Save
            </Button>
          </span>
        </form>
      )}
      <p className="mt-1 text-[13px] text-ink-2">
        {[room.service, room.ci].filter(Boolean).join(" · ")}
        {room.source ? (
          <>
            {" "}
            declared from{" "}
            <Link className="underline" to={`/desk/tickets/${room.source}`}>
              {room.source}
            </Link>
          </>
        ) : null}
      </p>
    </Part>
  );
}

/** What is known so far, in a sentence to go on from. */
function drafted(room: Room): string {
  const people = figureOf(room, "people");
  const services = figureOf(room, "services");
  const reached = services && services.derived ? ` Reached: ${services.parts.join(", ")}.` : "";
  return `${room.title}. Reported ${exact(room.reported_s)}. ${String(people?.counts ?? 0)} people are affected.${reached} ${String(room.gathered)} incidents are gathered.`;
}

function Related({ room }: { room: Room }) {
  if (room.related.length === 0) return null;
  return (
    <Part title="Linked">
      <ul>
        {room.related.map((one) => (
          <li key={one.id} className="flex items-baseline gap-2 py-0.5">
            <Link to={`/desk/tickets/${one.id}`} className="hover:underline">
              <Number row={one} />
            </Link>
            <span className="min-w-0 flex-1 truncate">{one.title}</span>
            <span className="text-[13px] text-ink-2">
              {one.says}, {one.state}
            </span>
          </li>
        ))}
      </ul>
    </Part>
  );
}

function Checklist({ room, now }: { room: Room; now: number }) {
  const { act, isBusy } = useRoomAct(room.id);
  const done = room.checklist.filter((one) => one.at_s !== null).length;
  const [isOpen, setOpen] = useState(done < room.checklist.length);
  const tick = (line: number, isDone: boolean) =>
    void act(() =>
      ok(api.POST("/api/rooms/{number}/checklist", { params: { path: { number: room.id } }, body: { line, is_done: isDone } })),
    );
  return (
    <Part
      title="First fifteen minutes"
      note={`${done} of ${room.checklist.length}`}
      action={
        <button type="button" aria-expanded={isOpen} className="min-h-[24px] underline" onClick={() => setOpen(!isOpen)}>
          {isOpen ? "fold" : "show"}
        </button>
      }
    >
      {isOpen ? (
        <ul>
          {room.checklist.map((one, line) => (
            <li key={one.text}>
              <label className="flex min-h-[26px] items-baseline gap-2">
                <input
                  type="checkbox"
                  checked={one.at_s !== null}
                  disabled={isBusy || !room.may.work}
                  onChange={(event) => tick(line, event.target.checked)}
                />
                <span className="flex-1">{one.text}</span>
                {one.at_s !== null ? (
                  <span className="text-[13px] text-ink-2" title={exact(one.at_s)}>
                    {one.who.split(" ")[0]}, {when(one.at_s, now)}
                  </span>
                ) : null}
              </label>
            </li>
          ))}
        </ul>
      ) : null}
    </Part>
  );
}

function TasksOf({ room, now }: { room: Room; now: number }) {
  const { me } = useSession();
  const done = room.tasks.filter((one) => one.state !== "open").length;
  return (
    <Part
      title="Tasks"
      note={room.tasks.length > 0 ? `${done} of ${room.tasks.length} done` : "none yet"}
      action={
        me?.reads_desk ? (
          <Link className="underline" to={`/desk/tickets/${room.id}`}>
            on the record
          </Link>
        ) : null
      }
    >
      <ul>
        {room.tasks.map((one) => (
          <li key={one.id} className="flex items-baseline gap-2 border-b border-line py-1 last:border-b-0">
            <span aria-hidden="true">{one.state === "open" ? "□" : "✓"}</span>
            <span className={`min-w-0 flex-1 ${one.state === "open" ? "" : "text-ink-2"}`}>
              {one.title}
              <span className="sr-only">, {one.state}</span>
              {one.is_follow_up ? <span className="ml-1 text-[12px] text-ink-2">follow-up</span> : null}
            </span>
            <span className="text-[13px] text-ink-2">
              {one.person || "open to all"}
              {one.due_s ? `, ${when(one.due_s, now)}` : ""}
            </span>
          </li>
        ))}
      </ul>
    </Part>
  );
}

function Incidents({ room }: { room: Room }) {
  const [over, setOver] = useState<"gather" | "together" | null>(null);
  const { me } = useSession();
  const open = room.incidents.filter((one) => one.is_open).length;
  return (
    <Part
      title="Incidents"
      note={`${room.gathered} gathered, ${open} open`}
      action={
        room.may.work ? (
          <span className="flex gap-2">
            <button type="button" className="min-h-[24px] underline" onClick={() => setOver("gather")}>
              gather
            </button>
            {open > 0 && !room.is_drill ? (
              <button type="button" className="min-h-[24px] underline" onClick={() => setOver("together")}>
                answer together
              </button>
            ) : null}
          </span>
        ) : null
      }
    >
      <ul className="max-h-[220px] overflow-y-auto">
        {room.incidents.slice(0, 40).map((one) => (
          <li key={one.id} className="flex items-baseline gap-2 py-0.5">
            {me?.reads_desk ? (
              <Link to={`/desk/tickets/${one.id}`} className="hover:underline">
                <Number row={{ id: one.id, kind: "incident" }} />
              </Link>
            ) : (
              <Number row={{ id: one.id, kind: "incident" }} />
            )}
            <span className="min-w-0 flex-1 truncate">{one.title}</span>
            <span className="text-[13px] text-ink-2">{one.state}</span>
          </li>
        ))}
      </ul>
      {room.incidents.length > 40 ? <p className="text-[13px] text-ink-2">and {room.gathered - 40} more</p> : null}
      {over === "gather" ? <GatherDialog room={room} onClose={() => setOver(null)} /> : null}
      {over === "together" ? <TogetherDialog room={room} onClose={() => setOver(null)} /> : null}
    </Part>
  );
}
