import { money } from "../../parts/money";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence, type Ticket } from "../../api/client";
import { approvalWord } from "../../parts/approvalWords";
import { ApprovalCard } from "../../parts/ApprovalCard";
import { useSession } from "../../shell/session";
import { useNow } from "../../parts/hooks";
import { can } from "../../parts/recordActs";
import { when } from "../../parts/time";
import { Button } from "../../parts/ui";
import { asMessage } from "../articles/markdownEdits";
import { Panel } from "./Panel";
import { useTicketWrite } from "../../parts/useTicketWrite";

/** How approvals stand in a few words: what one came to, or how many there are. */
function stateOf(shown: Ticket["approvals"], pending: number): string {
  const [only] = shown;
  if (pending > 0) return `${pending} pending`;
  if (shown.length > 1 || !only) return `${shown.length} answered`;
  return only.state === "withdrawn" ? approvalWord(only.state) : `${approvalWord(only.state)} by ${only.asked_of}`;
}

/** What was asked to be approved, and how it stands. */
export function Approvals({ ticket, canEdit }: { ticket: Ticket; canEdit: boolean }) {
  const now = useNow();
  const { write } = useTicketWrite(ticket.id);
  const { me } = useSession();
  // A stage's questions are drawn with its route; here is what one may decide oneself.
  const stands = me?.roles.includes("change manager") ?? false;
  const shown = ticket.approvals.filter((one) => !one.is_staged || (one.state === "pending" && (one.is_mine || stands)));
  if (shown.length === 0) return null;
  const pending = shown.filter((one) => one.state === "pending").length;
  return (
    <Panel title="Approvals" note={stateOf(shown, pending)} isFolded={pending === 0}>
      {shown.map((approval) =>
        approval.state === "pending" && (approval.is_mine || (approval.is_staged && stands)) ? (
          <ApprovalCard key={approval.id} approval={approval} onDone={() => void write(Promise.resolve(null))} />
        ) : (
          <div key={approval.id} className="border-b border-line py-1 last:border-0">
            <p>
              {approval.what}
              {approval.cost_pence ? ` · ${money(approval.cost_pence)}` : ""}
            </p>
            <p className="text-[13px] text-ink-2">
              {approval.state === "pending" ? (
                <>
                  waits for <b className="text-ink">{approval.asked_of}</b> since {when(approval.asked_s, now)}
                </>
              ) : (
                <>
                  <b className="text-ink">{approvalWord(approval.state)}</b>
                  {approval.state === "withdrawn" ? "" : ` by ${approval.asked_of}`}
                  {approval.decided_s ? `, ${when(approval.decided_s, now)}` : ""}
                  {approval.reason ? `: ${approval.reason}` : ""}
                </>
              )}
              {approval.state === "pending" && canEdit ? (
                <button
                  type="button"
                  className="ml-2 min-h-[24px] underline"
                  onClick={() =>
                    void write(ok(api.DELETE("/api/approvals/{approval}", { params: { path: { approval: approval.id } } })), "Taken back.")
                  }
                >
                  take back
                </button>
              ) : null}
            </p>
          </div>
        ),
      )}
    </Panel>
  );
}

/** Links either way, merged duplicates, parent and children. */
export function Links({
  ticket,
  canEdit,
  hides = () => false,
  onAct,
}: {
  ticket: Ticket;
  canEdit: boolean;
  /** What the kind of record shows elsewhere. */
  hides?: ((says: string) => boolean) | undefined;
  onAct: (act: "link" | "merge") => void;
}) {
  const { write } = useTicketWrite(ticket.id);
  const links = ticket.links.filter((link) => !hides(link.says));
  const isEmpty = links.length + ticket.merged.length + ticket.children.length === 0 && !ticket.parent;
  if (isEmpty && !canEdit) return null;
  return (
    <Panel title="Links">
      <ul>
        {ticket.parent ? (
          <li className="py-0.5">
            part of <Tie number={ticket.parent} title="" />
          </li>
        ) : null}
        {ticket.children.map((child) => (
          <li key={child.id} className="py-0.5">
            has the part <Tie number={child.id} title={child.title ?? ""} />
          </li>
        ))}
        {ticket.merged.map((merged) => (
          <li key={merged.id} className="py-0.5">
            merged in: <Tie number={merged.id} title={merged.title} /> <span className="text-ink-2">of {merged.requester}</span>
          </li>
        ))}
        {links
          .filter((link) => !ticket.merged.some((merged) => merged.id === link.other))
          .map((link) => (
            <li key={link.id} className="flex items-baseline gap-1.5 py-0.5">
              <span className="min-w-0 flex-1">
                {link.says} <Tie number={link.other} title={link.title} /> <span className="text-ink-2">{link.state}</span>
              </span>
              {canEdit ? (
                <button
                  type="button"
                  className="min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
                  aria-label={`Take the link to ${link.other} away`}
                  onClick={() =>
                    void write(
                      ok(api.DELETE("/api/tickets/{number}/links/{link}", { params: { path: { number: ticket.id, link: link.id } } })),
                      "Link removed.",
                    )
                  }
                >
                  ×
                </button>
              ) : null}
            </li>
          ))}
      </ul>
      {canEdit ? (
        <span className="-ml-2 flex">
          <Button tone="quiet" onClick={() => onAct("link")}>
            + Link
          </Button>
          {ticket.is_open ? (
            <Button tone="quiet" onClick={() => onAct("merge")}>
              Merge into another…
            </Button>
          ) : null}
        </span>
      ) : null}
    </Panel>
  );
}

function Tie({ number, title }: { number: number; title: string }) {
  return (
    <Link to={`/desk/tickets/${number}`} className="hover:underline">
      <span className="font-mono text-[13px]">{number}</span> {title}
    </Link>
  );
}

/** A remote session that runs: its code, where one looks while on the phone. */
export function RemoteHelp({ ticket }: { ticket: Ticket }) {
  const { write } = useTicketWrite(ticket.id);
  const running = ticket.outward.filter((one) => one.kind === "remote help" && !one.is_over);
  if (running.length === 0) return null;
  return (
    <Panel title="Remote help">
      {running.map((one) => (
        <p key={one.id} className="flex flex-wrap items-baseline gap-3">
          <b className="font-mono text-[20px]">{one.key}</b>
          <span className="text-ink-2">{one.title}</span>
          <button
            type="button"
            className="min-h-[24px] underline"
            onClick={() =>
              void write(
                ok(
                  api.POST("/api/tickets/{number}/outward/{outward}/end", {
                    params: { path: { number: ticket.id, outward: one.id } },
                  }),
                ),
                "Ended.",
              )
            }
          >
            end it
          </button>
        </p>
      ))}
    </Panel>
  );
}

/** What other systems have of it, and how it stands there. */
export function Outside({ ticket, canEdit, onAct }: { ticket: Ticket; canEdit: boolean; onAct: (act: "outward") => void }) {
  const now = useNow();
  if (ticket.outward.length === 0 && !canEdit) return null;
  return (
    <Panel title="External systems">
      <ul>
        {ticket.outward.map((one) => (
          <li key={one.id} className="py-0.5">
            {one.title} <b className="font-semibold">{one.state}</b>
            <span className="block text-[13px] text-ink-2">
              {one.kind}
              {one.kind === "development" ? ` ${one.key}` : ""} · {one.started_by}, {when(one.made_s, now)}
              {one.log.length > 0 ? ` · ${one.log.join(" → ")}` : ""}
            </span>
          </li>
        ))}
      </ul>
      {canEdit ? (
        <Button tone="quiet" className="-ml-2" onClick={() => onAct("outward")}>
          Send to development, help remotely, run a runbook…
        </Button>
      ) : null}
    </Panel>
  );
}

/** Hints, likely duplicates, similar tickets and how they ended, articles, recent ones. */
export function MayHelp({ ticket, onMerge, onUse }: { ticket: Ticket; onMerge: (into: number) => void; onUse: (text: string) => void }) {
  const now = useNow();
  const queries = useQueryClient();
  const { data } = useQuery({
    queryKey: ["help", ticket.id, ticket.title, ticket.facts.service?.id ?? 0, ticket.facts.category],
    queryFn: () => ok(api.GET("/api/tickets/{number}/help", { params: { path: { number: ticket.id } } })),
    staleTime: 60_000,
  });
  const pass = useMutation({
    mutationFn: ({ id, fits }: { id: number; title: string; fits: boolean }) =>
      ok(
        api.POST("/api/tickets/{number}/articles/{article}", {
          params: { path: { number: ticket.id, article: id } },
          body: { fits },
        }),
      ),
    onSuccess: (_done, { id, title, fits }) => {
      void queries.invalidateQueries({ queryKey: ["help", ticket.id] });
      if (!fits)
        toast(`“${title}” is not suggested here any more.`, {
          action: { label: "Undo", onClick: () => pass.mutate({ id, title, fits: true }) },
        });
    },
    onError: (problem) => toast.error(sentence(problem)),
  });
  const putText = (id: number) =>
    void ok(api.GET("/api/articles/{number}", { params: { path: { number: id } } }))
      .then((article) => onUse(asMessage(article.body)))
      .catch((problem: unknown) => toast.error(sentence(problem)));
  if (!data) return null;
  const nothing =
    data.linking.length +
      data.hints.length +
      data.duplicates.length +
      data.similar.length +
      data.articles.length +
      data.ticked.length +
      data.of_ci.length +
      data.of_requester.length ===
    0;
  if (nothing) return null;
  return (
    <Panel title="Suggestions">
      {data.hints.map((hint) => (
        <p key={hint.id} className="mb-1.5 rounded-small border border-crown bg-crown-2 px-2.5 py-1.5">
          <b className="font-semibold">{hint.about}:</b> {hint.text}
        </p>
      ))}
      {data.duplicates.length > 0 ? <h3 className="mt-1 text-[13px] font-semibold text-ink-2">May be the same</h3> : null}
      {data.duplicates.map((one) => (
        <p key={one.id} className="flex items-baseline gap-2 py-0.5">
          <span className="min-w-0 flex-1">
            <Tie number={one.id} title={one.title} /> <span className="text-[13px] text-ink-2">{one.why}</span>
          </span>
          {can(ticket, "merge") ? (
            <button type="button" className="min-h-[24px] shrink-0 text-[13px] underline" onClick={() => onMerge(one.id)}>
              merge into this
            </button>
          ) : null}
        </p>
      ))}
      {data.ticked.map((one) => (
        <p key={one.id} className="py-0.5" title={`${one.person}, ${when(one.at_s, now)}`}>
          <b>
            {one.ticked} of {one.steps}
          </b>{" "}
          steps of{" "}
          <Link to={`/desk/articles/${one.id}?for=${ticket.id}`} className="hover:underline">
            <span className="font-mono text-[13px]">{one.id}</span> {one.title}
          </Link>
        </p>
      ))}
      {data.linking.length > 0 ? <h3 className="mt-1 text-[13px] font-semibold text-ink-2">Articles that link here</h3> : null}
      {data.linking.map((one) => (
        <p key={one.id} className="py-0.5">
          <Link to={`/desk/articles/${one.id}?for=${ticket.id}`} className="hover:underline">
            <span className="font-mono text-[13px]">{one.id}</span> {one.title}
          </Link>
        </p>
      ))}
      {data.articles.length > 0 ? <h3 className="mt-1 text-[13px] font-semibold text-ink-2">Articles</h3> : null}
      {data.articles.map((article) => (
        <p key={article.id} className="flex items-baseline gap-2 py-0.5">
          <Link
            to={`/desk/articles/${article.id}?for=${ticket.id}`}
            title="Read it with the requester: its steps are ticked for this ticket"
            className="min-w-0 flex-1 hover:underline"
          >
            <span className="font-mono text-[13px]">{article.id}</span> {article.title}
          </Link>
          {article.for_everybody ? (
            <>
              <button
                type="button"
                className="min-h-[24px] shrink-0 text-[13px] underline"
                onClick={() => onUse(`${article.title}: ${window.location.origin}/articles/${article.id}`)}
              >
                put in reply
              </button>
              <button type="button" className="min-h-[24px] shrink-0 text-[13px] underline" onClick={() => putText(article.id)}>
                as text
              </button>
            </>
          ) : (
            <span className="shrink-0 text-[13px] text-ink-2">desk only</span>
          )}
          {ticket.is_open ? (
            <button
              type="button"
              className="min-h-[24px] min-w-[24px] shrink-0 text-ink-2 hover:text-rust"
              aria-label={`Does not fit: ${article.title}`}
              title="Does not fit"
              onClick={() => pass.mutate({ id: article.id, title: article.title, fits: false })}
            >
              ×
            </button>
          ) : null}
        </p>
      ))}
      <Recent title="Similar, and how they ended" rows={data.similar.map((one) => ({ ...one, more: one.resolution }))} now={now} />
      <Recent title="On the same item" rows={data.of_ci} now={now} />
      <Recent title={`${ticket.facts.requester.name.split(" ")[0]}’s tickets`} rows={data.of_requester} now={now} />
    </Panel>
  );
}

function Recent({
  title,
  rows,
  now,
}: {
  title: string;
  rows: { id: number; title: string; state: string; opened_s: number; more?: string }[];
  now: number;
}) {
  if (rows.length === 0) return null;
  return (
    <details className="mt-1">
      <summary className="min-h-[24px] cursor-pointer text-[13px] font-semibold text-ink-2">
        {title} ({rows.length})
      </summary>
      {rows.map((row) => (
        <p key={row.id} className="py-0.5">
          <Tie number={row.id} title={row.title} />
          <span className="block text-[13px] text-ink-2">
            {row.state}, {when(row.opened_s, now)}
            {row.more ? ` – ${row.more}` : ""}
          </span>
        </p>
      ))}
    </details>
  );
}
