import { useQuery, useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import { useLocation, useParams } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, sentence, type Ticket } from "../../api/client";
import { ActDialog, type ActName, useAct } from "../../parts/acts";
import { Composer, type ComposerMode } from "../../parts/Composer";
import { Conversation } from "../../parts/Conversation";
import { useKeys, useNow } from "../../parts/hooks";
import { Lifeline } from "../../parts/Lifeline";
import { Number } from "../../parts/marks";
import { DueLine, useTicket } from "../../parts/Reader";
import { PersonPicker } from "../../parts/PersonPicker";
import { exact, when } from "../../parts/time";
import { Button, Dialog, Empty, ErrorNote, Loading } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { Facts } from "./Facts";

/** One page per ticket: its life across the top, the conversation left, facts right. */
export function RecordPage() {
  const { number: text } = useParams();
  const number = +(text ?? "0");
  const { data: ticket, error } = useTicket(number);
  useEffect(() => {
    document.title = ticket ? `${ticket.id} ${ticket.title} · Gannet` : "Gannet";
    return () => {
      document.title = "Gannet";
    };
  }, [ticket]);
  if (error && !ticket) {
    const isMissing = error instanceof Problem && error.status === 404;
    return isMissing ? (
      <Empty title={`There is no ticket ${text ?? ""}`}>Or it is not for you to see.</Empty>
    ) : (
      <div className="p-6">
        <ErrorNote>{sentence(error)}</ErrorNote>
      </div>
    );
  }
  if (!ticket) return <Loading what={`ticket ${text ?? ""}`} />;
  return <Record key={ticket.id} ticket={ticket} />;
}

function Record({ ticket }: { ticket: Ticket }) {
  const now = useNow();
  const { me } = useSession();
  const { hash } = useLocation();
  const [act, setAct] = useState<ActName | null>(null);
  const [mode, setMode] = useState<ComposerMode | undefined>(undefined);
  const writing = useRef<HTMLTextAreaElement>(null);
  const doAct = useAct(ticket.id);
  const typingUntil = useRef(0);
  const others = usePresence(ticket.id, typingUntil);
  const may = new Set(ticket.may);
  const isMine = ticket.facts.holder?.id === me?.id;
  const take = () => doAct.mutate({ name: "take", body: { seen_holder: ticket.facts.holder?.id ?? null } });
  const write = (next: ComposerMode) => {
    setMode(next);
    setTimeout(() => writing.current?.focus(), 0);
  };
  useEffect(() => {
    if (hash === "#reply") write("reply");
  }, [hash]);
  useKeys({
    a: () => may.has("taken") && !isMine && take(),
    r: () => may.has("replied") && write("reply"),
    n: () => may.has("noted") && write("note"),
    w: () => may.has("waiting") && setAct("wait"),
    h: () => may.has("handed over") && setAct("hand-over"),
    p: () => may.has("changed") && setAct("priority"),
    z: () => may.has("resolved") && setAct("resolve"),
  });
  const requester = ticket.facts.requester;
  const first = requester.name.split(" ")[0] ?? requester.name;
  const send = (kind: ComposerMode, text: string, attachments: string[], done: () => void) =>
    doAct.mutate({ name: kind, body: { text, attachments } }, { onSuccess: done });

  return (
    <div className="mx-auto max-w-[1480px] px-5 pb-12 pt-2.5 max-[600px]:px-3">
      <div className="mb-2.5 flex flex-wrap items-start gap-x-6 gap-y-2">
        <div className="min-w-0 flex-1 basis-[420px]">
          <p className="flex flex-wrap items-center gap-x-1.5 text-[13px] text-ink-2">
            <span className="inline-flex items-center gap-1.5">
              <span aria-hidden="true">{ticket.kind}</span> <Number row={ticket} />
            </span>
            <span>
              · opened <time title={exact(ticket.opened_s)}>{when(ticket.opened_s, now)}</time> by {ticket.channel} from{" "}
              <b className="text-ink">{requester.name}</b>, {ticket.facts.place}
            </span>
            {ticket.facts.care_tier ? (
              <span className="ml-1 rounded bg-crown-2 px-2 text-ink">
                {ticket.facts.care_tier} · {Math.round(+ticket.facts.care_share * 100)} % of the target
              </span>
            ) : null}
            {ticket.is_major_suggested ? <span className="ml-1 rounded border border-rust px-1.5 font-semibold text-rust">suggested as major</span> : null}
            {ticket.is_confidential ? <span className="ml-1 rounded border border-ink px-1.5 font-semibold text-ink">confidential</span> : null}
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
          {may.has("taken") && !isMine ? (
            <Button hint="A" onClick={take} disabled={doAct.isPending}>
              Take it
            </Button>
          ) : null}
          {may.has("resumed") ? (
            <Button onClick={() => doAct.mutate({ name: "resume", body: { why: "" } })}>Take up again</Button>
          ) : null}
          {may.has("waiting") ? (
            <Button hint="W" onClick={() => setAct("wait")}>
              Wait…
            </Button>
          ) : null}
          {may.has("handed over") ? (
            <Button hint="H" onClick={() => setAct("hand-over")}>
              Hand over…
            </Button>
          ) : null}
          <MoreMenu ticket={ticket} onAct={setAct} />
          {may.has("reopened") ? <Button onClick={() => setAct("reopen")}>Reopen…</Button> : null}
          {may.has("resolved") ? (
            <Button tone="sea" hint="Z" onClick={() => setAct("resolve")}>
              Resolve…
            </Button>
          ) : null}
        </div>
      </div>

      <Lifeline ticket={ticket} />

      <div className="mt-3 grid grid-cols-[minmax(0,2fr)_minmax(300px,1fr)] gap-4 max-[900px]:grid-cols-1">
        <div className="min-w-0">
          {ticket.is_open ? <DueLine ticket={ticket} now={now} /> : null}
          <Conversation entries={ticket.conversation} now={now} requester={requester.name} />
          {may.has("replied") || may.has("noted") ? (
            <div className="no-print mt-3" id="reply">
              {ticket.follow_ups.map((ready, index) => (
                <p key={index} className="mb-2 flex items-start gap-3 rounded-small border border-crown bg-crown-2 px-3 py-2">
                  <span className="flex-1">
                    <b>Ready as a {ready.as}:</b> {ready.text}
                  </span>
                  <Button disabled={doAct.isPending} onClick={() => doAct.mutate({ name: ready.as ?? "note", body: { text: ready.text, attachments: [] } })}>
                    Send it
                  </Button>
                </p>
              ))}
              <Composer
                ref={writing}
                where={`ticket-${ticket.id}`}
                reader={first}
                canNote
                isSending={doAct.isPending}
                onSend={send}
                {...(may.has("waiting")
                  ? {
                      onSendAndWait: (text: string, attachments: string[], done: () => void) =>
                        doAct.mutate(
                          { name: "reply", body: { text, attachments } },
                          {
                            onSuccess: () => {
                              done();
                              doAct.mutate({
                                name: "wait",
                                body: { on: "requester", reason: text.length > 120 ? `${text.slice(0, 117)}…` : text },
                              });
                            },
                          },
                        ),
                    }
                  : {})}
                onTyping={() => {
                  typingUntil.current = Date.now() + 6000;
                }}
                {...(mode ? { mode } : {})}
                onMode={setMode}
              />
            </div>
          ) : null}
        </div>
        <Facts ticket={ticket} />
      </div>
      <ActDialog ticket={ticket} act={act} onClose={() => setAct(null)} />
    </div>
  );
}

function stateWords(ticket: Ticket, now: number): string {
  if (ticket.state === "resolved")
    return `resolved ${ticket.resolved_s ? when(ticket.resolved_s, now) : ""}${ticket.closes_s ? `, closes by itself ${when(ticket.closes_s, now)}` : ""}`;
  if (ticket.state === "waiting" && ticket.waiting)
    return `waiting on ${ticket.waiting.on === "requester" ? ticket.facts.requester.name : ticket.waiting.on}`;
  const marks = [
    ticket.markers.is_for_you ? "handed to you" : "",
    ticket.markers.is_answered ? "answered" : ticket.markers.needs_reply ? "needs reply" : "",
  ].filter(Boolean);
  return [ticket.statuses.find((status) => status.key === ticket.status)?.label ?? ticket.state, ...marks].join(" · ");
}

function MoreMenu({ ticket, onAct }: { ticket: Ticket; onAct: (act: ActName) => void }) {
  const may = new Set(ticket.may);
  const queries = useQueryClient();
  const { me } = useSession();
  const follows = ticket.followers.some((follower) => follower.id === me?.id);
  const simple = async (name: "follow" | "unfollow" | "end-announcement") => {
    try {
      const next = await ok(
        api.POST(`/api/tickets/{number}/${name}` as "/api/tickets/{number}/follow", {
          params: { path: { number: ticket.id } },
          body: {} as never,
        }),
      );
      queries.setQueryData(["ticket", ticket.id], next);
    } catch (error) {
      toast.error(sentence(error));
    }
  };
  const [isSharing, setSharing] = useState(false);
  const items: [string, boolean, () => void][] = [
    ["Set priority by hand…", may.has("changed"), () => onAct("priority")],
    ["Announce as known outage…", may.has("noted") && ticket.is_open && !ticket.is_confidential && !ticket.announcement, () => onAct("announce")],
    ["End the announcement", ticket.announcement !== null && may.has("noted"), () => void simple("end-announcement")],
    [follows ? "Stop following" : "Follow", true, () => void simple(follows ? "unfollow" : "follow")],
    ["Let somebody follow…", may.has("noted"), () => setSharing(true)],
    ["Print", true, () => window.print()],
    ["Cancel it…", may.has("cancelled"), () => onAct("cancel")],
  ];
  return (
    <>
    {isSharing ? <ShareDialog ticket={ticket} onClose={() => setSharing(false)} /> : null}
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button>More ▾</Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" sideOffset={5} className="z-40 min-w-[210px] rounded-card border border-line-2 bg-sheet p-1">
          {items
            .filter(([, isShown]) => isShown)
            .map(([label, , does]) => (
              <DropdownMenu.Item
                key={label}
                onSelect={does}
                className="cursor-pointer rounded px-3 py-1.5 outline-none data-[highlighted]:bg-sea-3"
              >
                {label}
              </DropdownMenu.Item>
            ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
    </>
  );
}

/** Let somebody follow: they may then read it, and hear of public replies. */
function ShareDialog({ ticket, onClose }: { ticket: Ticket; onClose: () => void }) {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [problem, setProblem] = useState("");
  const add = async (person: number) => {
    try {
      const next = await ok(
        api.POST("/api/tickets/{number}/follow", { params: { path: { number: ticket.id } }, body: { person } }),
      );
      queries.setQueryData(["ticket", ticket.id], next);
      onClose();
    } catch (error) {
      setProblem(sentence(error));
    }
  };
  return (
    <Dialog title={`Let somebody follow ${ticket.id}`} about="They may read it and hear of replies by mail." isOpen onClose={onClose}>
      <PersonPicker label="Who" name={name} onName={setName} onPick={(person) => void add(person.id)} />
      {problem ? <ErrorNote>{problem}</ErrorNote> : null}
      <div className="mt-40 flex justify-end">
        <Button onClick={onClose}>Not now</Button>
      </div>
    </Dialog>
  );
}

/** Says every few seconds that I am here (and typing); answers with who else is. */
function usePresence(number: number, typingUntil: React.RefObject<number>): { name: string; is_typing: boolean }[] {
  const { data } = useQuery({
    queryKey: ["presence", number],
    queryFn: () =>
      ok(
        api.POST("/api/tickets/{number}/presence", {
          params: { path: { number }, header: {} as never },
          body: { is_typing: Date.now() < typingUntil.current },
          headers: { "Idempotency-Key": "" },
        }),
      ),
    refetchInterval: 4000,
    retry: false,
  });
  return data ?? [];
}
