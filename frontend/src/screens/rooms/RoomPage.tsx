import { useEffect, useState } from "react";
import { useParams, useSearchParams } from "react-router";
import { Problem, sentence } from "../../api/client";
import { useKeys, useNow } from "../../parts/hooks";
import { Empty, ErrorNote, Loading } from "../../parts/ui";
import { useTitle } from "../../shell/PageFocus";
import { useSession } from "../../shell/session";
import { usePresence } from "../record/usePresence";
import { Beside } from "./Beside";
import { ChannelsPanel } from "./ChannelsPanel";
import { FindInRoom } from "./FindInRoom";
import { ReviewPanel } from "./ReviewPanel";
import { useRoom, useRoomNews } from "./room";
import { type Room } from "./roomWords";
import { RoomHead } from "./RoomHead";
import { RoomLife } from "./RoomLife";
import { TimelinePanel } from "./TimelinePanel";
import { UpdatePanel } from "./UpdatePanel";

/** A major incident's workspace: what is known, what is said, what is told, what is done. */
export function RoomPage() {
  const { number: text } = useParams();
  const number = +(text ?? "0");
  const { data, error } = useRoom(number);
  useTitle(data ? `${data.call_sign} – ${data.title}` : undefined);
  if (error && !data)
    return error instanceof Problem && error.status === 404 ? (
      <Empty title={`There is no room ${text ?? ""}`}>Or it is not for you to see.</Empty>
    ) : (
      <div className="p-6">
        <ErrorNote>{sentence(error)}</ErrorNote>
      </div>
    );
  if (!data) return <Loading what="the room" />;
  return <Inside key={data.id} room={data} />;
}

const PARTS = [
  ["timeline", "Timeline"],
  ["talk", "Channels"],
  ["work", "Updates and work"],
] as const;

/** Lets the others of the desk know that somebody looks. */
function Present({ number }: { number: number }) {
  usePresence(number, NOT_TYPING);
  return null;
}

const NOT_TYPING = { current: 0 };

function Inside({ room }: { room: Room }) {
  const now = useNow();
  const [params, setParams] = useSearchParams();
  const [part, setPart] = useState<string>("talk");
  const isFinding = params.get("find") !== null;
  const find = (on: boolean) => {
    const next = new URLSearchParams(params);
    if (on) next.set("find", "");
    else next.delete("find");
    setParams(next, { replace: !on });
  };
  useRoomNews(room.id);
  const { me } = useSession();
  useKeys({ "/": () => find(true) });
  useEffect(() => setPart(room.may.run ? "talk" : "work"), [room.may.run]);
  const shown = (name: string) => (part === name ? "" : "max-[900px]:hidden");
  return (
    <div className="mx-auto flex max-w-[1500px] flex-col gap-2.5 px-4 py-3">
      {me?.reads_desk ? <Present number={room.id} /> : null}
      <RoomHead room={room} now={now} onFind={() => find(true)} />
      <RoomLife room={room} now={now} />
      <nav aria-label="Parts of the room" className="hidden gap-1 max-[900px]:flex">
        {PARTS.map(([key, label]) => (
          <button
            key={key}
            type="button"
            aria-pressed={part === key}
            className={`min-h-[38px] flex-1 rounded-small border px-2 ${part === key ? "border-ink bg-ink text-sheet" : "border-line bg-sheet"}`}
            onClick={() => setPart(key)}
          >
            {label}
          </button>
        ))}
      </nav>
      <div className="grid grid-cols-[minmax(0,1.08fr)_minmax(0,1fr)_minmax(0,1fr)] items-start gap-3 max-[900px]:grid-cols-1">
        <div className={shown("timeline")}>
          <TimelinePanel room={room} now={now} />
        </div>
        <div className={shown("talk")}>
          <ChannelsPanel room={room} now={now} />
        </div>
        <div className={`flex flex-col gap-3 ${shown("work")}`}>
          {room.may.run ? <UpdatePanel room={room} now={now} /> : <ReviewPanel room={room} now={now} />}
          <Beside room={room} now={now} />
        </div>
      </div>
      {isFinding ? <FindInRoom room={room} now={now} onClose={() => find(false)} /> : null}
    </div>
  );
}
