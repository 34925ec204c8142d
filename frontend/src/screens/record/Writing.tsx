import { type RefObject, useEffect, useRef, useState } from "react";
import { Problem, type Ticket } from "../../api/client";
import type { useAct } from "../../parts/actForm";
import { type ActName } from "../../parts/actForm";
import { Composer, type ComposerMode, type SendOption } from "../../parts/Composer";
import { actOf, can } from "../../parts/recordActs";
import { Button } from "../../parts/ui";
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
  onMode: (mode: ComposerMode) => void;
}

const short = (text: string) => (text.length > 120 ? `${text.slice(0, 117)}…` : text);

/** Replies and notes, with what may be done in the same move, and words that crossed them. */
export function Writing({ ticket, doAct, onAsk, writing, typingUntil, inserted, mode, onMode }: WritingProps) {
  const requester = ticket.facts.requester;
  const first = requester.name.split(" ")[0] ?? requester.name;
  const [chosen, setChosen] = useState<Chosen>(EVERYBODY);
  const [crossed, setCrossed] = useState<Crossed | null>(null);
  // The newest event that was on the page when the writer last looked.
  const seenEvent = useRef(ticket.last_event);
  const suggest = useSuggest(ticket);
  useEffect(() => {
    // Whoever writes nothing has read what is there.
    if (Date.now() > typingUntil.current) seenEvent.current = ticket.last_event;
  }, [ticket.last_event, typingUntil]);
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
  return (
    <div className="no-print mt-3" id="reply">
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
      <Composer
        ref={writing}
        where={`ticket-${ticket.id}`}
        reader={first}
        canNote
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
