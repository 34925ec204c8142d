import { useQuery, useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import { useLocation, useParams } from "react-router";
import { toast } from "sonner";
import { api, type Entry, ok, Problem, sentence, type Ticket } from "../../api/client";
import { type ActName, useAct } from "../../parts/actForm";
import { ActDialog, asksFirst } from "../../parts/acts";
import { Composer, type ComposerMode, type SendOption } from "../../parts/Composer";
import { Conversation } from "../../parts/Conversation";
import { useKeys, useNow } from "../../parts/hooks";
import { Lifeline } from "../../parts/Lifeline";
import { Number } from "../../parts/marks";
import { RoutineForm } from "../../parts/moreActs";
import { RemindDialog } from "../../parts/RemindDialog";
import { actOf, bodyOf, can, keysOf, possible, type RecordAct, shown } from "../../parts/recordActs";
import type { Suggest } from "../../parts/Suggestions";
import { DueLine, useTicket } from "../../parts/Reader";
import { PersonPicker } from "../../parts/PersonPicker";
import { exact, when } from "../../parts/time";
import { Button, Dialog, Empty, ErrorNote, inputClass, Loading } from "../../parts/ui";
import { useCommands } from "../../shell/commands";
import { useSession } from "../../shell/session";
import { Asked } from "./Asked";
import { Facts } from "./Facts";
import { Panel } from "./Panel";
import { type Chosen, EVERYBODY, Readers, readersBody } from "./Readers";
import { Tasks } from "./Tasks";
import { Approvals, Links, MayHelp, Outside } from "./Ties";
import { Time } from "./Time";
import { useTicketWrite } from "../../parts/useTicketWrite";

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
  const follows = ticket.followers.some((follower) => follower.id === me?.id);
  const write = (next: ComposerMode) => {
    setMode(next);
    setTimeout(() => writing.current?.focus(), 0);
  };
  useEffect(() => {
    if (hash === "#reply") write("reply");
  }, [hash]);
  const begin = (chosen: RecordAct) => {
    if (chosen.name === "reply" || chosen.name === "note") write(chosen.name);
    else if (asksFirst(chosen)) setAct(chosen.name);
    else doAct.mutate({ name: chosen.name, body: bodyOf(ticket, chosen.name) });
  };
  useKeys({
    ...keysOf(ticket, begin),
    b: () => setReminding(true),
    u: () => ticket.undo_event !== null && doAct.mutate({ name: "undo", body: {} }),
  });
  useCommands(
    [
      ...ticket.acts.filter((one) => one.command !== "" && one.why_not === "").map((one) => ({ label: one.command, act: () => begin(one) })),
      { label: `Remind me of ${ticket.id}`, act: () => setReminding(true) },
      { label: `${follows ? "Stop following" : "Follow"} ${ticket.id}`, act: () => doAct.mutate({ name: follows ? "unfollow" : "follow", body: {} }) },
      { label: `Print ${ticket.id}`, act: () => window.print() },
    ],
    `${ticket.id}/${ticket.acts.map((one) => one.name + one.why_not).join()}/${String(follows)}`,
  );
  const requester = ticket.facts.requester;
  const first = requester.name.split(" ")[0] ?? requester.name;
  const [chosen, setChosen] = useState<Chosen>(EVERYBODY);
  const [into, setInto] = useState<number | undefined>(undefined);
  const [inserted, setInserted] = useState<{ text: string; at: number } | null>(null);
  const [crossed, setCrossed] = useState<Crossed | null>(null);
  const [routine, setRoutine] = useState<number | null>(null);
  const [isReminding, setReminding] = useState(false);
  const [removing, setRemoving] = useState<{ entry: Entry; file: string | undefined } | null>(null);
  // The newest event that was on the page when the writer last looked.
  const seenEvent = useRef(ticket.last_event);
  const suggest = useSuggest(ticket);
  useEffect(() => {
    // Whoever writes nothing has read what is there.
    if (Date.now() > typingUntil.current) seenEvent.current = ticket.last_event;
  }, [ticket.last_event]);
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
  const short = (text: string) => (text.length > 120 ? `${text.slice(0, 117)}…` : text);
  const options: SendOption[] = [
    ...(can(ticket, "wait")
      ? [
          {
            label: `wait on ${first}`,
            does: (text: string, files: string[], done: () => void) => reply(text, files, done, () => doAct.mutate({ name: "wait", body: { on: "requester", reason: short(text) } })),
          },
          { label: "wait on something else…", does: (text: string, files: string[], done: () => void) => reply(text, files, done, () => setAct("wait")) },
        ]
      : []),
    ...(can(ticket, "resolve")
      ? [
          {
            label: "resolve with these words",
            does: (text: string, files: string[], done: () => void) => reply(text, files, done, () => doAct.mutate({ name: "resolve", body: { what: text } }, { onError: () => setAct("resolve") })),
          },
        ]
      : []),
    ...(can(ticket, "hand-over") ? [{ label: "hand over…", does: (text: string, files: string[], done: () => void) => reply(text, files, done, () => setAct("hand-over")) }] : []),
  ];

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
          {possible(ticket, "bar").map((one) => (
            <ActButton key={one.name} act={one} onPress={begin} isBusy={doAct.isPending} />
          ))}
          {can(ticket, "change") && ticket.is_open ? <RoutinesMenu onPick={setRoutine} /> : null}
          <MoreMenu ticket={ticket} onAct={begin} onRemind={() => setReminding(true)} />
          {possible(ticket, "main").map((one, at, all) => (
            <ActButton key={one.name} act={one} onPress={begin} isBusy={doAct.isPending} isMain={at === all.length - 1} />
          ))}
        </div>
      </div>

      <Lifeline ticket={ticket} />

      <div className="mt-3 grid grid-cols-[minmax(0,2fr)_minmax(300px,1fr)] gap-4 max-[900px]:grid-cols-1">
        <div className="min-w-0">
          {ticket.is_open ? <DueLine ticket={ticket} now={now} /> : null}
          <Conversation
            entries={ticket.conversation}
            now={now}
            {...(can(ticket, "note") ? { onRemove: (entry: Entry, file?: string) => setRemoving({ entry, file }) } : {})}
          />
          {can(ticket, "reply") || can(ticket, "note") ? (
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
              {crossed ? (
                <p role="alert" className="mb-2 rounded-small border border-crown bg-crown-2 px-3 py-2">
                  <b>{crossed.actor} wrote meanwhile:</b> <span className="whitespace-pre-wrap">{crossed.text}</span> <span className="text-ink-2">Nothing was sent. Change your words, or send once more.</span>
                </p>
              ) : null}
              <Composer
                ref={writing}
                where={`ticket-${ticket.id}`}
                reader={first}
                canNote
                whyNoReply={actOf(ticket, "reply")?.why_not ?? ""}
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
                onMode={setMode}
              />
            </div>
          ) : null}
        </div>
        <div className="flex min-w-0 flex-col gap-3">
          <Asked ticket={ticket} />
          <Facts ticket={ticket} />
          <Approvals ticket={ticket} canEdit={can(ticket, "change")} />
          <Tasks ticket={ticket} canEdit={can(ticket, "change")} />
          {can(ticket, "note") ? <Time ticket={ticket} /> : null}
          <Links ticket={ticket} canEdit={can(ticket, "note")} onAct={(name) => setAct(name === "link" ? "links" : "merge")} />
          <Outside ticket={ticket} canEdit={can(ticket, "outward")} onAct={setAct} />
          <MayHelp
            ticket={ticket}
            onMerge={(number) => {
              setInto(number);
              setAct("merge");
            }}
            onUse={(text) => {
              write("reply");
              setInserted({ text, at: Date.now() });
            }}
          />
          <Said ticket={ticket} />
        </div>
      </div>
      <ActDialog
        ticket={ticket}
        act={act}
        into={into}
        onClose={() => {
          setAct(null);
          setInto(undefined);
        }}
      />
      {isReminding ? <RemindDialog ticket={ticket} onClose={() => setReminding(false)} /> : null}
      {removing ? <RemoveDialog ticket={ticket} entry={removing.entry} file={removing.file} onClose={() => setRemoving(null)} /> : null}
      {routine !== null ? (
        <Dialog title="Do several things at once" about={ticket.title} isOpen onClose={() => setRoutine(null)}>
          <RoutineForm
            ticket={ticket}
            routine={routine}
            onClose={() => setRoutine(null)}
            onRun={() => {
              setRoutine(null);
              doAct.mutate({ name: `routines/${routine}`, body: {} });
            }}
          />
        </Dialog>
      ) : null}
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

interface Crossed {
  id: number;
  actor: string;
  text: string;
}

/** What "/" and "#" offer while writing on a ticket. */
function useSuggest(ticket: Ticket): Suggest {
  const queries = useQueryClient();
  const number = ticket.id;
  return async (sign, words) => {
    if (sign === "/") {
      const phrases = await queries.fetchQuery({
        queryKey: ["phrases", number],
        queryFn: () => ok(api.GET("/api/tickets/{number}/phrases", { params: { path: { number } } })),
        staleTime: 60_000,
      });
      return phrases
        .filter((phrase) => phrase.name.toLowerCase().includes(words.toLowerCase()))
        .slice(0, 9)
        .map((phrase) => ({ key: `p${phrase.id}`, label: phrase.name, note: `${phrase.whose} · ${phrase.text.slice(0, 90)}`, text: phrase.text }));
    }
    if (words.trim().length < 2) return [];
    const found = await ok(api.GET("/api/find", { params: { query: { q: words.trim() } } }));
    return [
      ...found.articles.map((article) => ({
        key: `a${article.id}`,
        label: `article ${article.id} ${article.title}`,
        note: article.for_everybody && article.state === "published" ? "anybody may read it" : "desk only: its number is put in, no link",
        text: article.for_everybody && article.state === "published" ? `${article.title} (${window.location.origin}/articles/${article.id})` : `article ${article.id}`,
      })),
      ...found.tickets.slice(0, 6).map((row) => ({ key: `t${row.id}`, label: `${row.kind} ${row.id} ${row.title}`, note: row.state, text: `${row.kind} ${row.id}` })),
    ];
  };
}

/** Remove a text or a file everywhere; that it was done, by whom and why stays. */
function RemoveDialog({ ticket, entry, file, onClose }: { ticket: Ticket; entry: Entry; file: string | undefined; onClose: () => void }) {
  const { write, isBusy, fields, problem } = useTicketWrite(ticket.id, true);
  const [reason, setReason] = useState("");
  const remove = async () => {
    const body = { reason };
    const done = await write(
      file
        ? ok(api.POST("/api/tickets/{number}/files/{key}/redact", { params: { path: { number: ticket.id, key: file } }, body }))
        : ok(api.POST("/api/tickets/{number}/events/{event}/redact", { params: { path: { number: ticket.id, event: entry.id } }, body })),
      "Removed.",
    );
    if (done) onClose();
  };
  return (
    <Dialog title={file ? "Remove the file" : "Remove the text"} about="It goes from the history, the search and the mail that is kept. It cannot be brought back." isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void remove();
        }}
      >
        <label className="flex flex-col gap-1 font-semibold text-ink-2">
          Why
          <input autoFocus maxLength={300} className={`${inputClass} font-normal`} placeholder="A password was pasted" value={reason} onChange={(event) => setReason(event.target.value)} />
        </label>
        {problem ? <ErrorNote>{fields.reason ?? problem}</ErrorNote> : null}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Not now</Button>
          <Button type="submit" tone="sea" disabled={isBusy || !reason.trim()}>
            Remove it
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

function RoutinesMenu({ onPick }: { onPick: (routine: number) => void }) {
  const { data } = useQuery({ queryKey: ["routines"], queryFn: () => ok(api.GET("/api/routines")), staleTime: 60_000 });
  if (!data || data.length === 0) return null;
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button>Routines ▾</Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" sideOffset={5} className="z-40 min-w-[230px] rounded-card border border-line-2 bg-sheet p-1">
          {data.map((routine) => (
            <DropdownMenu.Item key={routine.id} onSelect={() => onPick(routine.id)} className="cursor-pointer rounded px-3 py-1.5 outline-none data-[highlighted]:bg-sea-3">
              {routine.name} <span className="text-ink-2">{routine.whose}</span>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** How it was, as the requester says after closing. */
function Said({ ticket }: { ticket: Ticket }) {
  const { survey } = ticket;
  if (!survey) return null;
  return (
    <Panel title="How it was" note={survey.answered_s ? undefined : "asked, not answered yet"}>
      {survey.score ? (
        <p>
          <b>{survey.score} of 5</b> {survey.text ? `– “${survey.text}”` : ""}
        </p>
      ) : null}
      {survey.answers.filter((line) => line.answer).map((line) => (
        <p key={line.label} className="text-ink-2">
          {line.label} <b className="text-ink">{line.answer}</b>
        </p>
      ))}
    </Panel>
  );
}

/** One act of the bar; its key stands beside it. */
function ActButton({ act, onPress, isBusy, isMain = false }: { act: RecordAct; onPress: (act: RecordAct) => void; isBusy: boolean; isMain?: boolean }) {
  return (
    <Button {...(act.key ? { hint: act.key.toUpperCase() } : {})} {...(isMain ? { tone: "sea" as const } : {})} disabled={isBusy} onClick={() => onPress(act)}>
      {act.label}
    </Button>
  );
}

function MoreMenu({ ticket, onAct, onRemind }: { ticket: Ticket; onAct: (act: RecordAct) => void; onRemind: () => void }) {
  const queries = useQueryClient();
  const { me } = useSession();
  const follows = ticket.followers.some((follower) => follower.id === me?.id);
  const simple = async (name: "follow" | "unfollow") => {
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
  const markLater = async () => {
    try {
      await ok(api.POST("/api/tickets/{number}/mark", { params: { path: { number: ticket.id } }, body: { is_marked: !ticket.mine.is_marked } }));
      toast(ticket.mine.is_marked ? "No longer marked." : "Marked for later.");
      void queries.invalidateQueries({ queryKey: ["ticket", ticket.id] });
    } catch (error) {
      toast.error(sentence(error));
    }
  };
  const [isSharing, setSharing] = useState(false);
  const acts = shown(ticket, "menu");
  const own: [string, boolean, () => void][] = [
    ["Remind me…", true, onRemind],
    [ticket.mine.is_marked ? "No longer marked for later" : "Mark for later", true, () => void markLater()],
    [follows ? "Stop following" : "Follow", true, () => void simple(follows ? "unfollow" : "follow")],
    ["Let somebody follow…", can(ticket, "note"), () => setSharing(true)],
    ["Print", true, () => window.print()],
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
          {acts.map((act) => (
            <DropdownMenu.Item
              key={act.name}
              disabled={act.why_not !== ""}
              onSelect={() => onAct(act)}
              className="max-w-[300px] cursor-pointer rounded px-3 py-1.5 outline-none data-[disabled]:cursor-default data-[highlighted]:bg-sea-3 data-[disabled]:text-ink-2"
            >
              {act.label}
              {act.why_not ? <span className="block text-[12px] leading-tight">{act.why_not}</span> : null}
            </DropdownMenu.Item>
          ))}
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          {own
            .filter(([, isShown]) => isShown)
            .map(([label, , does]) => (
              <DropdownMenu.Item key={label} onSelect={does} className="cursor-pointer rounded px-3 py-1.5 outline-none data-[highlighted]:bg-sea-3">
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
