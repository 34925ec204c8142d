import { Link } from "react-router";
import { type RefObject, useEffect, useRef, useState } from "react";
import { Problem, type Ticket } from "../../api/client";
import type { useAct } from "../../parts/actForm";
import { type ActName } from "../../parts/actForm";
import { Composer, type ComposerMode, type SendOption } from "../../parts/Composer";
import { Initials } from "../../parts/Initials";
import { useNow } from "../../parts/hooks";
import { actOf, can } from "../../parts/recordActs";
import { when } from "../../parts/time";
import { Button } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { type Chosen, EVERYBODY, Readers, readersBody } from "./Readers";
import { useSuggest } from "./useSuggest";

interface Crossed {
  id: number;
  actor: string;
  text: string;
}

interface WritingProps {
  ticket: Ticket;
  doAct: ReturnType<typeof useAct>;
  onAsk: (act: ActName) => void;
  writing: RefObject<HTMLTextAreaElement | null>;
  typingUntil: RefObject<number>;
  inserted: { text: string; at: number } | null;
  mode: ComposerMode | undefined;
  /** Who else has this open, and whether they write. */
  others: { name: string; is_typing: boolean }[];
  onMode: (mode: ComposerMode) => void;
}

const MESSAGES = new Set(["replied", "requester wrote", "reopened"]);
const short = (text: string) => (text.length > 120 ? `${text.slice(0, 117)}…` : text);

/** Who is writing at this moment, and who only looks. */
function Others({ others }: { others: WritingProps["others"] }) {
  const writing = others.filter((one) => one.is_typing);
  const reading = others.filter((one) => !one.is_typing);
  if (others.length === 0) return null;
  return (
    <p role="status" className="mb-1 flex flex-wrap items-center gap-x-2 px-1 text-[13px] text-ink-2">
      {writing.map((one) => (
        <span key={one.name} className="inline-flex items-center gap-1.5">
          <Initials name={one.name} />
          <b className="text-ink">{one.name.split(" ")[0]} is writing</b>
        </span>
      ))}
      {reading.length > 0 ? (
        <span className="ml-auto">
          {reading.map((one) => one.name.split(" ")[0]).join(", ")} {reading.length === 1 ? "has" : "have"} this open too
        </span>
      ) : null}
    </p>
  );
}

/** Replies and notes, with what may be done in the same move, and words that crossed them. */
export function Writing({ ticket, doAct, onAsk, writing, typingUntil, inserted, mode, others, onMode }: WritingProps) {
  const requester = ticket.facts.requester;
  const now = useNow();
  const first = requester.name.split(" ")[0] ?? requester.name;
  const [chosen, setChosen] = useState<Chosen>(EVERYBODY);
  const [crossed, setCrossed] = useState<Crossed | null>(null);
  // The newest event that was on the page when the writer last looked.
  const seenEvent = useRef(ticket.last_event);
  const suggest = useSuggest(ticket);
  const [hasDraft, setHasDraft] = useState(false);
  const { me } = useSession();
  useEffect(() => {
    // Whoever has begun no reply has read what is there.
    if (!hasDraft && Date.now() > typingUntil.current) seenEvent.current = ticket.last_event;
  }, [ticket.last_event, typingUntil, hasDraft]);
  const since = hasDraft
    ? ticket.conversation.filter((one) => one.id > seenEvent.current && MESSAGES.has(one.kind) && one.actor_id !== me?.id)
    : [];
  const latest = since.at(-1);
  const reply = (text: string, attachments: string[], done: () => void, next?: () => void) =>
    doAct.mutate(
      { name: "reply", body: { text, attachments, ...readersBody(ticket, chosen), seen_event: seenEvent.current } },
      {
        onSuccess: ({ ticket: after }) => {
          seenEvent.current = after.last_event;
          done();
          setChosen(EVERYBODY);
          setCrossed(null);
          next?.();
        },
        onError: (error) => {
          const late = error instanceof Problem ? (error.body.crossed as Crossed | undefined) : undefined;
          if (late) {
            seenEvent.current = late.id;
            setCrossed(late);
          }
        },
      },
    );
  const send = (kind: ComposerMode, text: string, attachments: string[], done: () => void) =>
    kind === "reply" ? reply(text, attachments, done) : doAct.mutate({ name: kind, body: { text, attachments } }, { onSuccess: done });
  const also = (label: string, next: (text: string) => void): SendOption => ({
    label,
    does: (text, files, done) => reply(text, files, done, () => next(text)),
  });
  const options: SendOption[] = [
    ...(can(ticket, "wait")
      ? [
          also(`wait on ${first}`, (text) => doAct.mutate({ name: "wait", body: { on: "requester", reason: short(text) } })),
          also("wait on something else…", () => onAsk("wait")),
        ]
      : []),
    ...(can(ticket, "resolve")
      ? [
          also("resolve with these words", (text) =>
            doAct.mutate({ name: "resolve", body: { what: text } }, { onError: () => onAsk("resolve") }),
          ),
        ]
      : []),
    ...(can(ticket, "hand-over") ? [also("hand over…", () => onAsk("hand-over"))] : []),
  ];
  if (ticket.duplicate_of)
    return (
      <p className="no-print sticky bottom-0 z-20 mt-2 rounded-small border border-line bg-note px-3 py-2" id="reply">
        It was merged, and goes on there:{" "}
        <Link className="font-bold text-sea underline" to={`/desk/tickets/${ticket.duplicate_of}`}>
          write on {ticket.duplicate_of}
        </Link>
        .
      </p>
    );
  return (
    <div className="no-print sticky bottom-0 z-20 mt-2 bg-paper pb-2 pt-1.5 max-[900px]:static" id="reply">
      <Others others={others} />
      {ticket.follow_ups.map((ready, index) => (
        <p key={index} className="mb-2 flex items-start gap-3 rounded-small border border-crown bg-crown-2 px-3 py-2">
          <span className="flex-1">
            <b>Ready as a {ready.as}:</b> {ready.text}
          </span>
          <Button
            disabled={doAct.isPending}
            onClick={() => doAct.mutate({ name: ready.as ?? "note", body: { text: ready.text, attachments: [] } })}
          >
            Send it
          </Button>
        </p>
      ))}
      {crossed ? (
        <p role="alert" className="mb-2 rounded-small border border-crown bg-crown-2 px-3 py-2">
          <b>{crossed.actor} wrote meanwhile:</b> <span className="whitespace-pre-wrap">{crossed.text}</span>{" "}
          <span className="text-ink-2">Nothing was sent. Change your words, or send once more.</span>
        </p>
      ) : null}
      {latest && !crossed ? (
        <details className="mb-1.5 rounded-small bg-crown-2 px-3 py-1">
          <summary className="min-h-[24px] cursor-pointer">
            <b>
              {latest.actor} wrote at {when(latest.at_s, now)}
            </b>
            , after your draft began. Sending asks first.
          </summary>
          <p className="whitespace-pre-wrap break-words">{latest.text}</p>
        </details>
      ) : null}
      <Composer
        isDocked
        onDraft={setHasDraft}
        ref={writing}
        where={`ticket-${ticket.id}`}
        reader={first}
        canNote
        hasReply={actOf(ticket, "reply") !== undefined}
        whyNoReply={actOf(ticket, "reply")?.why_not ?? `Nobody is written to on a ${ticket.kind}.`}
        isSending={doAct.isPending}
        onSend={send}
        options={options}
        readers={<Readers ticket={ticket} chosen={chosen} onChange={setChosen} />}
        suggest={suggest}
        inserted={inserted}
        onTyping={() => {
          typingUntil.current = Date.now() + 6000;
        }}
        {...(mode ? { mode } : {})}
        onMode={onMode}
      />
    </div>
  );
}
