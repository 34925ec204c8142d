import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ok, Problem, sentence } from "../../api/client";
import { Finder, type Found } from "../../parts/Finder";
import { PersonPicker } from "../../parts/PersonPicker";
import { useNow } from "../../parts/hooks";
import { when } from "../../parts/time";
import { Button, ErrorNote, Field, Loading } from "../../parts/ui";

interface LetterProps {
  number: number;
  onDismiss: () => void;
  onTakeBack: () => void;
  onLetIn: (ticket: number) => void;
}

/** One quarantined message: why it is here, what it says, and what can become of it. */
export function Letter({ number, onDismiss, onTakeBack, onLetIn }: LetterProps) {
  const now = useNow();
  const { data: mail, error } = useQuery({
    queryKey: ["quarantine", "mail", number],
    queryFn: () => ok(api.GET("/api/quarantine/{number}", { params: { path: { number } } })),
    retry: false,
  });
  const [how, setHow] = useState<"log" | "add" | null>(null);
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!mail) return <Loading what="the message" />;
  return (
    <article className="rounded-card border border-line bg-sheet px-4 py-3" aria-label="Message">
      <h2 className="text-[16px] font-bold">{mail.subject || "(no subject)"}</h2>
      <p className="text-ink-2">
        from {mail.sender_name ? `${mail.sender_name}, ` : ""}
        {mail.sender || "no sender"}
        {mail.is_verified ? "" : " (not verified)"}
      </p>
      <p className="mt-2 rounded-small bg-crown-2 px-3 py-1.5">
        It {mail.why}
        {mail.because ? `: ${mail.because}` : "."}
      </p>
      {mail.handled_how ? (
        <p className="mt-2 flex flex-wrap items-center gap-3">
          {mail.handled_how === "dismissed" ? "Dismissed" : mail.handled_how === "added" ? "Added to a ticket" : "Logged"} by{" "}
          {mail.handled_by}
          {mail.handled_s ? `, ${when(mail.handled_s, now)}` : ""}
          {mail.ticket ? (
            <Link className="text-sea underline" to={`/desk/tickets/${mail.ticket}`}>
              ticket {mail.ticket}
            </Link>
          ) : null}
          {mail.handled_how === "dismissed" ? <Button onClick={onTakeBack}>Let it wait again</Button> : null}
        </p>
      ) : (
        <div className="mt-3 flex flex-wrap gap-2">
          {mail.can_be_let_in ? (
            <>
              <Button
                tone={how === "log" ? "sea" : "plain"}
                aria-expanded={how === "log"}
                onClick={() => setHow(how === "log" ? null : "log")}
              >
                Log it for…
              </Button>
              <Button
                tone={how === "add" ? "sea" : "plain"}
                aria-expanded={how === "add"}
                onClick={() => setHow(how === "add" ? null : "add")}
              >
                Add it to a ticket…
              </Button>
            </>
          ) : (
            <span className="self-center text-ink-2">It cannot be read, so it cannot be let in.</span>
          )}
          <Button tone="quiet" onClick={onDismiss}>
            Dismiss
          </Button>
        </div>
      )}
      {how && !mail.handled_how ? <LetIn key={how} number={number} how={how} onLetIn={onLetIn} /> : null}
      <p className="mt-3 max-h-[52vh] overflow-y-auto whitespace-pre-wrap break-words rounded-small bg-paper px-3.5 py-3 text-[15px]">
        {mail.body || "(no text)"}
      </p>
      {mail.files.length > 0 ? <p className="mt-2 text-ink-2">Files: {mail.files.join(", ")}</p> : null}
    </article>
  );
}

async function findTickets(words: string): Promise<Found[]> {
  const found = await ok(api.GET("/api/find", { params: { query: { q: words } } }));
  return found.tickets.map(({ id, title, state }) => ({ id, name: `${id} ${title}`, note: state }));
}

function LetIn({ number, how, onLetIn }: { number: number; how: "log" | "add"; onLetIn: (ticket: number) => void }) {
  const [name, setName] = useState("");
  const [person, setPerson] = useState<number | null>(null);
  const [ticket, setTicket] = useState<number | null>(null);
  const letIn = useMutation({
    mutationFn: () =>
      ok(
        api.POST("/api/quarantine/{number}/let-in", {
          params: { path: { number } },
          body: how === "log" ? { requester: person, ticket: null } : { ticket, requester: null },
        }),
      ),
    onSuccess: (done) => onLetIn(done.ticket),
  });
  const fields = letIn.error instanceof Problem ? letIn.error.fields : {};
  return (
    <form
      className="mt-3 flex flex-col gap-2 rounded-small border border-line px-3 py-2.5"
      onSubmit={(event) => {
        event.preventDefault();
        letIn.mutate();
      }}
    >
      {how === "log" ? (
        <PersonPicker
          label="Whose ticket it shall be"
          name={name}
          error={fields.requester}
          onName={(next) => {
            setName(next);
            setPerson(null);
          }}
          onPick={(found) => {
            setName(found.name);
            setPerson(found.id);
          }}
        />
      ) : (
        <Field label="Which ticket" error={fields.ticket}>
          {(props) => (
            <Finder
              props={props}
              what="tickets"
              find={findTickets}
              nothing="No ticket has these words."
              name={name}
              takesFocus
              onName={(next) => {
                setName(next);
                setTicket(/^\d+$/.test(next.trim()) ? +next : null);
              }}
              onPick={(found) => {
                setName(found.name);
                setTicket(found.id);
              }}
            />
          )}
        </Field>
      )}
      {letIn.error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(letIn.error)}</ErrorNote> : null}
      <div className="flex items-center gap-3">
        <Button type="submit" tone="sea" disabled={letIn.isPending}>
          {how === "log" ? "Log it" : "Add it"}
        </Button>
        <span className="text-[13px] text-ink-2">
          {how === "log" ? "With its words and files; they get the usual acknowledgement." : "As a note under the name of who wrote it."}
        </span>
      </div>
    </form>
  );
}
