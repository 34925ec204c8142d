import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { api, ok, sentence, uploadTo } from "../../api/client";
import { useDraft } from "../../parts/hooks";
import { initialsOf } from "../../parts/Initials";
import { MenuItem } from "../../parts/Menu";
import { clockTime, exact, when } from "../../parts/time";
import { Button, ErrorNote, inputClass } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { AskIn, OpenChannel } from "./ChannelDialogs";
import { LineMenu } from "./LineMenu";
import { type Channel, type Message, messagesKey, useRoomAct } from "./room";
import { fileLink, fileSize, isPicture, mentions, type Room } from "./roomWords";

/** The conversations of the room that somebody may read, one at a time. */
export function ChannelsPanel({ room, now }: { room: Room; now: number }) {
  const [params, setParams] = useSearchParams();
  const [isOpening, setOpening] = useState(false);
  const chosen = room.channels.find((one) => String(one.id) === params.get("channel")) ?? room.channels[0];
  const choose = (id: number) => {
    const next = new URLSearchParams(params);
    next.set("channel", String(id));
    setParams(next, { replace: true });
  };
  return (
    <section aria-labelledby="channels-title" className="rounded-card border border-line bg-sheet">
      <h2 id="channels-title" className="sr-only">
        Channels
      </h2>
      <div className="flex items-end border-b border-line px-2 pt-1">
        <div role="tablist" aria-label="Channels" className="flex min-w-0 flex-1 flex-wrap items-center gap-1">
          {room.channels.map((one) => (
            <button
              key={one.id}
              type="button"
              role="tab"
              aria-selected={one.id === chosen?.id}
              className={`min-h-[36px] border-b-2 px-2 ${one.id === chosen?.id ? "border-crown font-bold" : "border-transparent text-ink-2 hover:text-ink"}`}
              onClick={() => choose(one.id)}
            >
              {one.is_closed ? <Lock /> : null}
              {one.name}
              {one.is_closed ? <span className="font-normal">, {one.people.length} people</span> : null}
              {one.unread > 0 && one.id !== chosen?.id ? (
                <b className="ml-1 rounded-full bg-crown px-1.5 text-[12px] text-[#17222b]">
                  {one.unread}
                  <span className="sr-only"> not read</span>
                </b>
              ) : null}
            </button>
          ))}
        </div>
        {room.may.work ? (
          <button
            type="button"
            aria-label="Open a channel"
            title="Open a channel"
            className="ml-auto min-h-[32px] min-w-[32px] rounded-small hover:bg-sea-3"
            onClick={() => setOpening(true)}
          >
            +
          </button>
        ) : null}
      </div>
      {chosen ? (
        <Talk key={chosen.id} room={room} channel={chosen} now={now} />
      ) : (
        <p className="p-4 text-ink-2">No channel is open to you.</p>
      )}
      {isOpening ? <OpenChannel room={room} onClose={() => setOpening(false)} /> : null}
    </section>
  );
}

function Lock() {
  return (
    <svg width="11" height="12" viewBox="0 0 11 12" aria-hidden="true" className="mr-1 inline">
      <rect x="1.5" y="5" width="8" height="6" rx="1" fill="none" stroke="currentColor" strokeWidth="1.5" />
      <path d="M3.3 5V3.4a2.2 2.2 0 0 1 4.4 0V5" fill="none" stroke="currentColor" strokeWidth="1.5" />
    </svg>
  );
}

const EMPTY = { text: "" };

function Talk({ room, channel, now }: { room: Room; channel: Channel; now: number }) {
  const { me } = useSession();
  const [isAsking, setAsking] = useState(false);
  const [before, setBefore] = useState<Message[]>([]);
  const [hasMore, setMore] = useState<boolean | null>(null);
  const draft = useDraft(`room-say-${room.id}-${channel.id}`, EMPTY);
  const { act, isBusy } = useRoomAct(room.id);
  const list = useRef<HTMLDivElement>(null);
  const file = useRef<HTMLInputElement>(null);
  const [folder, setFolder] = useState("");
  const path = { number: room.id, channel: channel.id };
  const { data, error } = useQuery({
    queryKey: [...messagesKey(room.id), channel.id],
    queryFn: () => ok(api.GET("/api/rooms/{number}/channels/{channel}/messages", { params: { path } })),
    refetchInterval: 20_000,
  });
  const last = data?.messages[data.messages.length - 1]?.id ?? 0;
  const firstUnread = useRef(channel.read_until);
  useReading(path, last, channel.unread > 0);
  useEffect(() => {
    const element = list.current;
    if (element) element.scrollTop = element.scrollHeight;
  }, [last]);
  const older = async () => {
    const oldest = before[0]?.id ?? data?.messages[0]?.id;
    const found = await ok(
      api.GET("/api/rooms/{number}/channels/{channel}/messages", { params: { path, query: { before: oldest ?? 0 } } }),
    );
    setBefore([...found.messages, ...before]);
    setMore(found.has_more);
  };
  const say = async (isEntry: boolean) => {
    if (!draft.body.text.trim() || isBusy) return;
    const isDone = await act(() =>
      ok(
        api.POST("/api/rooms/{number}/channels/{channel}/messages", {
          params: { path },
          body: { text: draft.body.text, is_entry: isEntry },
        }),
      ),
    );
    if (isDone) draft.clear();
  };
  const messages = [...before, ...(data?.messages ?? [])];
  const names = channel.people.map((one) => one.name);
  const here = channel.people.filter((one) => one.is_here);
  const canWrite = room.state !== "reviewed";
  return (
    <div role="tabpanel" aria-label={channel.name}>
      <div className="flex flex-wrap items-center gap-1 border-b border-line px-3.5 py-1.5 text-[13px] text-ink-2">
        {channel.people.slice(0, 8).map((one) => (
          <span
            key={one.id}
            title={`${one.name}${one.is_here ? ", here" : ", away"}`}
            className={`inline-flex h-[26px] w-[26px] items-center justify-center rounded-full text-[11px] font-bold ${one.is_here ? "bg-sea text-on-sea" : "border border-dashed border-line-2"}`}
          >
            {initialsOf(one.name)}
          </span>
        ))}
        <span>
          {here.length} here{channel.people.length > here.length ? `, ${channel.people.length - here.length} away` : ""}
        </span>
        {canWrite && (room.may.work || channel.is_closed) ? (
          <button type="button" className="min-h-[24px] underline" onClick={() => setAsking(true)}>
            ask in
          </button>
        ) : null}
      </div>
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      <div
        ref={list}
        tabIndex={0}
        role="log"
        aria-label={`What was said in ${channel.name}`}
        className="h-[max(220px,calc(100vh-445px))] overflow-y-auto px-3.5 py-2"
      >
        {(hasMore ?? data?.has_more) ? (
          <button type="button" className="mb-2 underline" onClick={() => void older()}>
            Show what was said before
          </button>
        ) : null}
        {messages.map((one, index) => (
          <Said
            key={one.id}
            room={room}
            message={one}
            names={names}
            now={now}
            isNew={one.id > firstUnread.current && one.person !== me?.id && (messages[index - 1]?.id ?? 0) <= firstUnread.current}
          />
        ))}
        {data && messages.length === 0 ? <p className="py-4 text-ink-2">Nothing has been said here yet.</p> : null}
      </div>
      {canWrite ? (
        <form
          className="border-t border-line px-3.5 py-2"
          onSubmit={(event) => {
            event.preventDefault();
            void say(false);
          }}
        >
          <textarea
            aria-label={`Say to ${channel.name}`}
            placeholder={`Say to ${channel.name}; @ a name calls somebody`}
            rows={2}
            maxLength={10_000}
            className={inputClass}
            value={draft.body.text}
            onChange={(event) => draft.set({ text: event.target.value })}
            onKeyDown={(event) => {
              if (event.key !== "Enter" || event.shiftKey || event.nativeEvent.isComposing) return;
              event.preventDefault();
              void say(event.ctrlKey || event.metaKey);
            }}
          />
          <div className="mt-1.5 flex flex-wrap items-center gap-2">
            <input
              ref={file}
              type="file"
              className="sr-only"
              tabIndex={-1}
              aria-label="Choose a file"
              onChange={(event) => {
                const chosen = event.target.files?.[0];
                event.target.value = "";
                if (chosen)
                  void act(
                    () => uploadTo(`/api/rooms/${room.id}/channels/${channel.id}/files`, chosen, { folder }),
                    `${chosen.name} is in the room.`,
                  );
              }}
            />
            <Button onClick={() => file.current?.click()} disabled={isBusy}>
              Add a file
            </Button>
            {room.folders.length > 0 ? (
              <select
                aria-label="Folder of the file"
                className={`${inputClass} !w-auto`}
                value={folder}
                onChange={(event) => setFolder(event.target.value)}
              >
                <option value="">no folder</option>
                {room.folders.map((one) => (
                  <option key={one}>{one}</option>
                ))}
              </select>
            ) : null}
            <span className="ml-auto flex flex-wrap gap-2">
              <Button onClick={() => void say(true)} disabled={isBusy || !draft.body.text.trim()}>
                Also to the timeline
              </Button>
              <Button type="submit" tone="sea" disabled={isBusy || !draft.body.text.trim()}>
                Say
              </Button>
            </span>
          </div>
        </form>
      ) : null}
      {isAsking ? <AskIn room={room} channel={channel} onClose={() => setAsking(false)} /> : null}
    </div>
  );
}

/** Says that the channel has been read so far, and that somebody is here. */
function useReading(path: { number: number; channel: number }, last: number, isUnread: boolean): void {
  useEffect(() => {
    const tell = () => {
      if (document.hidden) return;
      void api.POST("/api/rooms/{number}/channels/{channel}/read", { params: { path }, body: { message: last } });
    };
    tell();
    const ticking = setInterval(tell, 45_000);
    return () => clearInterval(ticking);
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [path.number, path.channel, last, isUnread]);
}

function Said({ room, message, names, now, isNew }: { room: Room; message: Message; names: string[]; now: number; isNew: boolean }) {
  const { act } = useRoomAct(room.id);
  const lift = (label: string) =>
    void act(
      () =>
        ok(
          api.POST("/api/rooms/{number}/timeline", {
            params: { path: { number: room.id } },
            body: { text: "", message: message.id, label: label as "seen", is_for_all: false },
          }),
        ),
      "It is in the timeline, at its own time.",
    );
  return (
    <article className="group py-1.5">
      {isNew ? <p className="mb-1 border-b border-crown text-[12px] font-semibold text-ink-2">not read yet</p> : null}
      <p className="flex items-baseline gap-2">
        <b>{message.who}</b>
        {message.is_outside ? <span className="text-[12px] text-ink-2">in the outside chat</span> : null}
        {message.label ? <span className="rounded border border-line-2 px-1.5 text-[12px] font-semibold">{message.label}</span> : null}
        <time className="ml-auto text-[13px] text-ink-2" title={exact(message.at_s)}>
          {when(message.at_s, now)}
        </time>
        {room.may.work && message.entry_s === null ? (
          <LineMenu label={`What ${message.who} said at ${clockTime(message.at_s)}`}>
            <MenuItem onSelect={() => lift(message.label)}>Into the timeline</MenuItem>
            {room.labels.map((label) => (
              <MenuItem key={label} onSelect={() => lift(label)}>
                Into the timeline as {label}
              </MenuItem>
            ))}
          </LineMenu>
        ) : null}
      </p>
      {message.text ? (
        <p className="whitespace-pre-wrap break-words">
          {mentions(message.text, names).map((part, index) =>
            part.isName ? (
              <b key={index} className="text-sea">
                {part.text}
              </b>
            ) : (
              part.text
            ),
          )}
        </p>
      ) : null}
      {message.file ? (
        <a className="underline" href={fileLink(room.id, message.file.id)}>
          {message.file.name} <span className="text-[13px] text-ink-2">{fileSize(message.file.size)}</span>
          {isPicture(message.file.name) ? (
            <img
              src={fileLink(room.id, message.file.id)}
              alt=""
              loading="lazy"
              className="mt-1 max-h-[140px] rounded-small border border-line"
            />
          ) : null}
        </a>
      ) : null}
      {message.entry_s !== null ? (
        <p className="mt-0.5 border-l-[3px] border-crown pl-2 text-[13px] text-ink-2">in the timeline at {clockTime(message.entry_s)}</p>
      ) : null}
    </article>
  );
}
