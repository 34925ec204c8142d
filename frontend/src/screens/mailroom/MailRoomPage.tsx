import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, sentence, type WholeMail } from "../../api/client";
import { useDebounced, useDraft, useNow } from "../../parts/hooks";
import { exact, when } from "../../parts/time";
import { Button, Dialog, Empty, ErrorNote, Field, inputClass, Loading } from "../../parts/ui";
import { useSession } from "../../shell/session";

/** The stand-in mail server: everything sent and received, and answering as anyone. */
export function MailRoomPage() {
  const [params, setParams] = useSearchParams();
  const now = useNow();
  const { me } = useSession();
  const [words, setWords] = useState("");
  const late = useDebounced(words.trim(), 250);
  const [isWriting, setWriting] = useState(false);
  const open = params.get("mail") ? +(params.get("mail") ?? "") : null;
  const list = useInfiniteQuery({
    queryKey: ["mailroom", late],
    queryFn: ({ pageParam }) =>
      ok(api.GET("/api/mailroom", { params: { query: { ...(pageParam ? { before: pageParam } : {}), ...(late ? { q: late } : {}) } } })),
    initialPageParam: 0,
    getNextPageParam: (page) => page.next_before ?? undefined,
    refetchInterval: 4000,
  });
  const messages = list.data?.pages.flatMap((page) => page.messages) ?? [];
  const first = list.data?.pages[0];
  const setOpen = (key: number | null) => {
    const next = new URLSearchParams(params);
    if (key === null) next.delete("mail");
    else next.set("mail", String(key));
    setParams(next, { replace: open !== null, preventScrollReset: true });
  };
  return (
    <div className="mx-auto max-w-[1360px] px-5 pb-10 pt-4">
      <div className="mb-3 flex flex-wrap items-baseline gap-x-4 gap-y-2">
        <h1 className="text-[21px] font-bold">Mail room</h1>
        <p className="text-ink-2">
          Every message of the stand-in mail server. The desk reads {first?.desk_address}.
          {first && first.waiting > 0 ? ` ${first.waiting} wait to leave.` : ""}
        </p>
        <div className="ml-auto flex gap-2">
          <input
            aria-label="Find by recipient"
            placeholder="Find by recipient…"
            className={`${inputClass} w-[200px]`}
            value={words}
            onChange={(event) => setWords(event.target.value)}
          />
          <Button onClick={() => setWriting(true)}>Write as anyone…</Button>
        </div>
      </div>
      {list.error ? <ErrorNote>{sentence(list.error)}</ErrorNote> : null}
      {list.isPending ? <Loading what="the mail" /> : null}
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-4 max-[900px]:grid-cols-1">
        <div className="overflow-hidden rounded-card border border-line bg-sheet">
          {list.data && messages.length === 0 ? (
            <Empty title="No mail yet">Messages leave ten seconds after what they tell of.</Empty>
          ) : null}
          <ul>
            {messages.map((mail) => (
              <li key={mail.id} className="border-b border-line last:border-b-0">
                <button
                  type="button"
                  aria-current={mail.id === open ? "true" : undefined}
                  onClick={() => setOpen(mail.id)}
                  className={`grid w-full grid-cols-[1fr_auto] gap-x-3 px-3.5 py-2 text-left ${mail.id === open ? "bg-sea-3" : "hover:bg-sea-3/50"}`}
                >
                  <span className="truncate font-semibold">{mail.subject}</span>
                  <span className="text-[13px] text-ink-2" title={exact(mail.at_s)}>
                    {when(mail.at_s, now)}
                  </span>
                  <span className="truncate text-[13px] text-ink-2">
                    {mail.sender} → {mail.to.join(", ")}
                  </span>
                  <span className="text-[13px] text-ink-2">{mail.for_desk ? mail.outcome : "sent by the desk"}</span>
                </button>
              </li>
            ))}
          </ul>
          {list.hasNextPage ? (
            <div className="p-3 text-center">
              <Button onClick={() => void list.fetchNextPage()}>Older</Button>
            </div>
          ) : null}
        </div>
        <div>
          {open !== null ? (
            <OneMail number={open} canOpenDesk={me?.reads_desk ?? false} />
          ) : (
            <p className="px-3 py-2 text-ink-2">Choose a message to read it.</p>
          )}
        </div>
      </div>
      {isWriting ? (
        <Dialog title="Write as anyone" about="A real message through the stand-in server." isOpen onClose={() => setWriting(false)}>
          <WriteForm where="mail-new" sender="" to={first?.desk_address ?? ""} subject="" answers={null} onDone={() => setWriting(false)} />
        </Dialog>
      ) : null}
    </div>
  );
}

function OneMail({ number, canOpenDesk }: { number: number; canOpenDesk: boolean }) {
  const { data: mail, error } = useQuery({
    queryKey: ["mail", number],
    queryFn: () => ok(api.GET("/api/mailroom/{key}", { params: { path: { key: number } } })),
  });
  const [isAnswering, setAnswering] = useState(false);
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!mail) return <Loading what="the message" />;
  return (
    <article className="rounded-card border border-line bg-sheet px-4 py-3" aria-label="Message">
      <h2 className="text-[16px] font-bold">{mail.subject}</h2>
      <p className="text-ink-2">
        from {mail.sender} to {mail.to.join(", ")}
      </p>
      {mail.for_desk ? (
        <p className="mt-1">
          {mail.outcome}
          {mail.because ? `: ${mail.because}` : ""}
        </p>
      ) : null}
      {mail.ticket ? (
        <p className="mt-1">
          <Link className="text-sea underline" to={canOpenDesk ? `/desk/tickets/${mail.ticket}` : `/my/${mail.ticket}`}>
            incident {mail.ticket}
          </Link>
        </p>
      ) : null}
      <p className="mt-3 whitespace-pre-wrap break-words rounded-small bg-sea-3 px-3.5 py-3 text-[15px]">{mail.body}</p>
      {mail.files.length > 0 ? <p className="mt-2 text-ink-2">Files: {mail.files.join(", ")}</p> : null}
      <details className="mt-3">
        <summary className="cursor-pointer text-ink-2">Headers</summary>
        <dl className="mt-1 break-all font-mono text-[12px]">
          {mail.headers.map(([name, value], index) => (
            <div key={index}>
              <dt className="inline text-ink-2">{name}: </dt>
              <dd className="inline">{value}</dd>
            </div>
          ))}
        </dl>
      </details>
      {mail.for_desk ? null : (
        <div className="mt-3">
          {isAnswering ? (
            <Answer mail={mail} onDone={() => setAnswering(false)} />
          ) : (
            <Button tone="sea" onClick={() => setAnswering(true)}>
              Answer as {mail.to[0]}
            </Button>
          )}
        </div>
      )}
    </article>
  );
}

function Answer({ mail, onDone }: { mail: WholeMail; onDone: () => void }) {
  const subject = mail.subject.startsWith("Re: ") ? mail.subject : `Re: ${mail.subject}`;
  return (
    <WriteForm where={`mail-${mail.id}`} sender={mail.to[0] ?? ""} to={mail.sender} subject={subject} answers={mail.id} onDone={onDone} />
  );
}

interface WriteFormProps {
  where: string;
  sender: string;
  to: string;
  subject: string;
  answers: number | null;
  onDone: () => void;
}

function WriteForm({ where, sender, to, subject, answers, onDone }: WriteFormProps) {
  const queries = useQueryClient();
  const draft = useDraft(where, { sender, subject, body: "" });
  const [isForged, setForged] = useState(false);
  const send = useMutation({
    mutationFn: () =>
      ok(
        api.POST("/api/mailroom", {
          body: {
            ...draft.body,
            sender: draft.body.sender || sender,
            subject: draft.body.subject || subject,
            to,
            answers,
            is_forged: isForged,
          },
        }),
      ),
    onSuccess: () => {
      draft.clear();
      toast("Sent. The desk reads it within a second or two.");
      void queries.invalidateQueries({ queryKey: ["mailroom"] });
      onDone();
    },
  });
  const problem = send.error instanceof Problem ? send.error : null;
  const fields = problem?.fields ?? {};
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        send.mutate();
      }}
    >
      <Field label="From" error={fields.sender}>
        {(props) => (
          <input
            {...props}
            type="email"
            autoFocus={sender === ""}
            className={inputClass}
            value={draft.body.sender}
            onChange={(event) => draft.set({ sender: event.target.value })}
          />
        )}
      </Field>
      <Field label="Subject" error={fields.subject}>
        {(props) => (
          <input
            {...props}
            className={inputClass}
            value={draft.body.subject}
            onChange={(event) => draft.set({ subject: event.target.value })}
          />
        )}
      </Field>
      <Field label="Message" error={fields.body}>
        {(props) => (
          <textarea
            {...props}
            autoFocus={sender !== ""}
            rows={5}
            className={inputClass}
            value={draft.body.body}
            onChange={(event) => draft.set({ body: event.target.value })}
          />
        )}
      </Field>
      <label className="flex items-center gap-2">
        <input type="checkbox" checked={isForged} onChange={(event) => setForged(event.target.checked)} />
        Forge the sender: the mail server does not vouch for it
      </label>
      {problem && Object.keys(fields).length === 0 ? <ErrorNote>{problem.message}</ErrorNote> : null}
      <div className="flex justify-end gap-2">
        <Button onClick={onDone}>Cancel</Button>
        <Button type="submit" tone="sea" disabled={send.isPending}>
          {send.isPending ? "Sending…" : "Send"}
        </Button>
      </div>
    </form>
  );
}
