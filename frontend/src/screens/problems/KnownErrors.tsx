import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ok, type Ticket } from "../../api/client";
import { useDebounced } from "../../parts/hooks";
import { useTicketWrite } from "../../parts/useTicketWrite";

interface Near {
  service?: number | null;
  ci?: number | null;
  words: string;
}

function useOffered(near: Near, enabled: boolean) {
  const late = useDebounced(JSON.stringify(near), 300);
  return useQuery({
    queryKey: ["known errors", late],
    queryFn: () => {
      const { service, ci, words } = JSON.parse(late) as Near;
      return ok(api.GET("/api/known-errors", { params: { query: { words, ...(service ? { service } : {}), ...(ci ? { ci } : {}) } } }));
    },
    enabled,
    staleTime: 60_000,
  }).data;
}

/** Workarounds of known errors for an incident: put in the reply, and counted. */
export function KnownErrors({ ticket, onUse }: { ticket: Ticket; onUse: (text: string) => void }) {
  const found = useOffered(
    { service: ticket.facts.service?.id ?? null, ci: ticket.facts.ci?.id ?? null, words: ticket.title },
    ticket.kind === "incident" && ticket.is_open,
  );
  const { write, isBusy } = useTicketWrite(ticket.id);
  if (!found || found.length === 0) return null;
  const canUse = ticket.acts.some((act) => act.name === "reply" && act.why_not === "");
  const use = async (number: number, workaround: string) => {
    onUse(workaround);
    await write(ok(api.POST("/api/problems/{number}/used", { params: { path: { number } }, body: { ticket: ticket.id } })));
  };
  const near = found.filter((one) => one.is_near);
  const others = found.filter((one) => !one.is_near);
  const line = (one: (typeof found)[number]) => (
    <div key={one.id} className="py-1">
      <Link to={`/desk/tickets/${one.id}`} className="font-semibold hover:underline">
        <span className="font-mono text-[13px]">{one.id}</span> {one.title}
      </Link>
      <p className="whitespace-pre-wrap">{one.workaround}</p>
      <p className="flex flex-wrap gap-x-3 text-[13px]">
        <span className="flex-1">
          {one.why}
          {one.used > 0 ? ` · used ${one.used} times` : ""}
        </span>
        {canUse ? (
          <button type="button" className="min-h-[24px] underline" disabled={isBusy} onClick={() => void use(one.id, one.workaround)}>
            put in reply
          </button>
        ) : null}
      </p>
    </div>
  );
  return (
    <section
      aria-label="Known errors"
      className={`rounded-card border px-3.5 ${near.length > 0 ? "border-crown bg-crown-2 py-2.5" : "border-line bg-sheet py-1.5"}`}
    >
      {near.length > 0 ? <h2 className="mb-1 font-bold">Known error</h2> : null}
      {near.map(line)}
      {others.length > 0 ? (
        <details>
          <summary className="min-h-[24px] cursor-pointer text-[13px] font-semibold text-ink-2">
            {near.length > 0 ? "Other known errors" : "Known errors"} of {ticket.facts.service?.name} ({others.length})
          </summary>
          {others.map(line)}
        </details>
      ) : null}
    </section>
  );
}

/** The same while a call is logged: what helps can be said at once. */
export function KnownErrorsWhileLogging({ service, ci, words }: { service: string; ci: string; words: string }) {
  const found = useOffered({ service: +service || null, ci: +ci || null, words }, words.trim().length > 3);
  const near = found?.filter((one) => one.is_near) ?? [];
  if (near.length === 0) return null;
  return (
    <section aria-label="Known errors" className="mb-3 rounded-small border border-crown bg-crown-2 px-2.5 py-2">
      <h3 className="font-bold">Known error</h3>
      {near.slice(0, 2).map((one) => (
        <div key={one.id} className="py-0.5">
          <p className="font-semibold">
            <span className="font-mono text-[13px]">{one.id}</span> {one.title}
          </p>
          <p className="whitespace-pre-wrap">{one.workaround}</p>
        </div>
      ))}
    </section>
  );
}
