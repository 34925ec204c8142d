import { useTitle } from "../../shell/PageFocus";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, Navigate, useParams } from "react-router";
import { toast } from "sonner";
import { api, type MyTicket, ok, Problem, type RequestFacts, sentence } from "../../api/client";
import { ColleaguePicker } from "../../parts/ColleaguePicker";
import { Composer } from "../../parts/Composer";
import { Conversation } from "../../parts/Conversation";
import { useDraft, useNow } from "../../parts/hooks";
import { OfferIcon } from "../../parts/OfferIcon";
import { costWords } from "../../parts/ApprovalFacts";
import { RequestParts, RequestPath } from "../../parts/RequestPath";
import { exact, when } from "../../parts/time";
import { Button, Dialog, Empty, ErrorNote, Field, inputClass, Loading } from "../../parts/ui";
import { AnswersDialog } from "./AnswersDialog";
import { OfferedArticles } from "./OfferedArticles";
import { StepPath, whoHasIt } from "./parts";

/** One of my things: where it is, who has it, and the conversation. */
export function MyTicketPage() {
  const { number: text } = useParams();
  const number = +(text ?? "0");
  const queries = useQueryClient();
  const now = useNow();
  const [ask, setAsk] = useState<"reopen" | "cancel" | null>(null);
  const [isSharing, setSharing] = useState(false);
  const [isAnswering, setAnswering] = useState(false);
  const { data: thing, error } = useQuery({
    queryKey: ["my-ticket", number],
    queryFn: () => ok(api.GET("/api/portal/tickets/{number}", { params: { path: { number } } })),
  });
  useTitle(thing ? `${thing.id} ${thing.title}` : undefined);
  const settle = (next: MyTicket) => {
    queries.setQueryData(["my-ticket", number], next);
    void queries.invalidateQueries({ queryKey: ["portal"] });
  };
  const write = useMutation({
    mutationFn: (given: { text: string; attachments: string[] }) =>
      ok(api.POST("/api/portal/tickets/{number}/write", { params: { path: { number } }, body: given })),
    onSuccess: settle,
  });
  if (error && !thing)
    return error instanceof Problem && error.status === 404 ? (
      <Empty title={`There is nothing of yours with number ${text ?? ""}`}>
        <Link className="underline" to="/">
          Go to my requests
        </Link>
      </Empty>
    ) : (
      <ErrorNote>{sentence(error)}</ErrorNote>
    );
  if (!thing) return <Loading what="it" />;
  if (thing.kind === "major incident") return <Navigate to={`/room/${thing.id}`} replace />;
  const may = new Set(thing.may);
  return (
    <div className="mx-auto max-w-[860px] pt-6">
      <Link to="/" className="text-sea underline-offset-2 hover:underline">
        ← My requests
      </Link>
      <h1 className="mt-2 text-[24px] font-bold leading-tight">{thing.title}</h1>
      <p className="text-ink-2">
        {thing.kind} {thing.id} · {thing.kind === "request" ? "asked" : "reported"}{" "}
        <time title={exact(thing.opened_s)}>{when(thing.opened_s, now)}</time>
        {thing.service ? ` · ${thing.service}` : ""} · {thing.place}
      </p>
      <div className="mt-4 flex items-center gap-5 rounded-card border border-line bg-sheet px-5 py-4 max-[640px]:flex-col max-[640px]:items-stretch">
        <StepPath steps={thing.path} />
        <div className="shrink-0 text-right max-[640px]:text-left">
          <p className="text-ink-2">{whoHasIt(thing)}</p>
          <p className="font-bold">{promise(thing, now)}</p>
        </div>
      </div>
      {thing.request ? <RequestBlock thing={thing} request={thing.request} now={now} onChange={() => setAnswering(true)} /> : null}
      {thing.waiting?.on === "requester" && thing.is_open ? (
        <p className="mt-3 rounded-card border border-crown bg-crown-2 px-4 py-2.5">
          <b>We wait for your answer</b>
          {thing.waiting.since_s ? ` since ${when(thing.waiting.since_s, now)}` : ""}: {thing.waiting.reason}
        </p>
      ) : null}
      <OfferedArticles thing={thing} onDone={settle} />
      <div className="mt-5">
        <Conversation entries={thing.conversation} now={now} isPortal />
      </div>
      {thing.state === "resolved" && thing.closes_s ? (
        <p className="mt-3 text-ink-2">It closes by itself {when(thing.closes_s, now)}.</p>
      ) : null}
      <div className="mt-4 flex flex-wrap gap-2">
        {may.has("reopened") ? (
          <Button onClick={() => setAsk("reopen")}>{thing.kind === "request" ? "It is not there…" : "It is not solved…"}</Button>
        ) : null}
        {may.has("cancelled") ? <Button onClick={() => setAsk("cancel")}>I no longer need it…</Button> : null}
        {thing.is_mine && thing.is_open ? <Button onClick={() => setSharing(true)}>Share it…</Button> : null}
      </div>
      {may.has("requester wrote") && thing.is_open ? (
        <div className="mt-4">
          <Composer
            where={`my-${thing.id}`}
            reader={thing.waiting?.on === "requester" ? "Your answer" : "Write to the desk"}
            canNote={false}
            isSending={write.isPending}
            error={write.error ? sentence(write.error) : null}
            onSend={(_mode, words, attachments, clear) => write.mutate({ text: words, attachments }, { onSuccess: clear })}
          />
        </div>
      ) : null}
      {isAnswering && thing.request ? (
        <AnswersDialog thing={thing} request={thing.request} onClose={() => setAnswering(false)} onDone={settle} />
      ) : null}
      {isSharing ? <ShareDialog thing={thing} onClose={() => setSharing(false)} /> : null}
      {ask ? <WhyDialog thing={thing} act={ask} onClose={() => setAsk(null)} onDone={settle} /> : null}
    </div>
  );
}

/** What was asked for: for whom, cost, answers, who decided, the parts. */
function RequestBlock({ thing, request, now, onChange }: { thing: MyTicket; request: RequestFacts; now: number; onChange: () => void }) {
  return (
    <section aria-label="What was requested" className="mt-3 flex flex-col gap-3 rounded-card border border-line bg-sheet px-5 py-3.5">
      <p className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <OfferIcon icon={request.icon} />
        <b>{request.item_name}</b>
        {request.is_for_other ? <span>for {request.beneficiary}</span> : null}
        <span className="text-ink-2">
          {costWords(request)}
          {request.delivery ? ` · ${request.delivery}` : ""}
        </span>
      </p>
      {request.answers.length > 0 ? (
        <dl className="grid grid-cols-[180px_1fr] gap-x-3 gap-y-0.5 text-[14px] max-[560px]:grid-cols-1">
          {request.answers.map((answer) => (
            <div key={answer.field} className="contents">
              <dt className="text-ink-2">{answer.label}</dt>
              <dd>{answer.value}</dd>
            </div>
          ))}
        </dl>
      ) : null}
      {request.may_change_answers ? (
        <p>
          <Button onClick={onChange}>Change the answers…</Button>
        </p>
      ) : null}
      {request.stages.length > 0 || request.parts.length === 0 ? <RequestPath request={request} now={now} /> : null}
      <RequestParts request={request} toDesk={false} />
      {request.may_ask_again ? (
        <p>
          <Link className="font-bold text-sea underline" to={`/ask/${request.item}?again=${thing.id}`}>
            Request again with these answers
          </Link>
        </p>
      ) : null}
    </section>
  );
}

function promise(thing: MyTicket, now: number): string {
  if (!thing.is_open) return thing.resolved_s ? when(thing.resolved_s, now) : "";
  if (thing.waiting?.on === "requester") return "waiting for you";
  if (thing.kind !== "request" && thing.answered_s === null && thing.answer_due_s)
    return thing.answer_due_s > now ? `you hear by ${when(thing.answer_due_s, now)}` : "later than agreed";
  if (thing.request?.approval === "pending") return "waiting for approval";
  if (thing.fix_due_s)
    return thing.fix_due_s > now
      ? `should be ${thing.kind === "request" ? "delivered" : "solved"} by ${when(thing.fix_due_s, now)}`
      : "later than agreed";
  return "";
}

/** A colleague may follow it: they see where it is and what is said, and hear of it. */
function ShareDialog({ thing, onClose }: { thing: MyTicket; onClose: () => void }) {
  const [who, setWho] = useState({ id: 0, name: "" });
  const send = useMutation({
    mutationFn: () =>
      ok(api.POST("/api/portal/tickets/{number}/share", { params: { path: { number: thing.id } }, body: { person: who.id } })),
    onSuccess: () => {
      toast(`${who.name} can see it now.`);
      onClose();
    },
  });
  return (
    <Dialog title="Share it with a colleague" about="They see where it is and what is said, and can answer." isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          send.mutate();
        }}
      >
        <ColleaguePicker
          label="Colleague"
          takesFocus
          name={who.name}
          onName={(name) => setWho({ id: 0, name })}
          onPick={(person) => setWho({ id: person.id, name: person.name ?? "" })}
        />
        {send.error ? <ErrorNote>{sentence(send.error)}</ErrorNote> : null}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea" disabled={!who.id || send.isPending}>
            Share it
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

interface WhyDialogProps {
  thing: MyTicket;
  act: "reopen" | "cancel";
  onClose: () => void;
  onDone: (thing: MyTicket) => void;
}

function WhyDialog({ thing, act, onClose, onDone }: WhyDialogProps) {
  const draft = useDraft(`my-${act}-${thing.id}`, { why: "" });
  const send = useMutation({
    mutationFn: () => {
      const options = { params: { path: { number: thing.id } }, body: { why: draft.body.why } };
      return ok(
        act === "reopen"
          ? api.POST("/api/portal/tickets/{number}/reopen", options)
          : api.POST("/api/portal/tickets/{number}/cancel", options),
      );
    },
    onSuccess: (next) => {
      draft.clear();
      onDone(next);
      onClose();
    },
  });
  const problem = send.error instanceof Problem ? send.error : null;
  return (
    <Dialog title={act === "reopen" ? "It is not solved" : "I no longer need it"} isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          send.mutate();
        }}
      >
        <Field label={act === "reopen" ? "What is still wrong?" : "Why not?"} error={problem?.fields.why}>
          {(props) => (
            <textarea
              {...props}
              autoFocus
              rows={3}
              className={inputClass}
              value={draft.body.why}
              onChange={(event) => draft.set({ why: event.target.value })}
            />
          )}
        </Field>
        {problem && !problem.fields.why ? <ErrorNote>{problem.message}</ErrorNote> : null}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea" disabled={send.isPending}>
            {act === "reopen" ? "Tell the desk" : "Withdraw"}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
