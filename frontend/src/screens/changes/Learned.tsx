import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence, type Ticket } from "../../api/client";
import { Button } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { Panel } from "../record/Panel";
import { articleOf, templateOf } from "./learned";

/** What ends with a change when it is called done: the problem that asked for it, and its incidents. */
export function EndsPanel({ ticket }: { ticket: Ticket }) {
  const ends = ticket.change?.ends;
  if (!ends || ticket.state !== "look back") return null;
  const ending = ends.incidents.filter((one) => one.why_not === "");
  const staying = ends.incidents.filter((one) => one.why_not !== "");
  return (
    <section aria-label="What ends with it" className="mb-3 rounded-card border border-line bg-sheet px-3.5 py-2.5">
      <h2 className="font-bold">What ends with it</h2>
      <p>
        <Link to={`/desk/tickets/${ends.id}`} className="underline">
          Problem {ends.id}
        </Link>{" "}
        {ends.title}:{" "}
        {ends.why_not
          ? `it stays open. ${ends.why_not}`
          : `it is resolved once this is ${ends.outcomes.join(" or ")}${
              ending.length > 0
                ? `, with ${ending.length === 1 ? "its incident" : `${ending.length} incidents`} that still ${ending.length === 1 ? "waits" : "wait"}`
                : ""
            }.`}
      </p>
      {[...ending, ...staying].length > 0 ? (
        <ul className="mt-1 max-h-[200px] overflow-y-auto">
          {[...ending, ...staying].map((one) => (
            <li key={one.id} className="flex gap-2 py-0.5">
              <Link to={`/desk/tickets/${one.id}`} className="min-w-0 flex-1 truncate hover:underline">
                <span className="font-mono text-[13px]">{one.id}</span> {one.title}
              </Link>
              <span className={`text-[13px] ${one.why_not ? "text-rust" : "text-ink-2"}`}>
                {one.why_not ? `stays open: ${one.why_not}` : "is resolved"}
              </span>
            </li>
          ))}
        </ul>
      ) : null}
    </section>
  );
}

/** What was learned, and what is made of it: an article, a template, a task while there is time. */
export function LearnedPanel({ ticket }: { ticket: Ticket }) {
  const { me } = useSession();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [isBusy, setBusy] = useState(false);
  const change = ticket.change;
  if (!change || !["look back", "done", "backed out"].includes(ticket.state)) return null;
  const make = async (does: () => Promise<string>) => {
    if (isBusy) return;
    setBusy(true);
    try {
      void navigate(await does());
    } catch (error) {
      toast.error(sentence(error));
    } finally {
      setBusy(false);
    }
  };
  const article = () =>
    make(async () => {
      const kept = await ok(api.POST("/api/articles", { body: articleOf(ticket) }));
      toast("A draft of an article is written from it.");
      return `/desk/articles/${kept.id}`;
    });
  const template = () =>
    make(async () => {
      const entry = templateOf(ticket, Date.now());
      await ok(
        api.POST("/api/rulebook/draft/edits", {
          body: { section: "change_templates", key: entry.key, before: null, after: entry as never, is_rename: false },
        }),
      );
      void queries.invalidateQueries({ queryKey: ["rulebook"] });
      toast("A template is in the draft of the rulebook.");
      return `/desk/rulebook/change_templates?open=${encodeURIComponent(entry.key)}`;
    });
  return (
    <Panel title="What was learned">
      {change.learned ? <p className="whitespace-pre-wrap">{change.learned}</p> : null}
      <p className="mt-1 flex flex-wrap gap-2">
        <Button disabled={isBusy} onClick={() => void article()}>
          Write an article of it
        </Button>
        {me?.roles.includes("administrator") ? (
          <Button disabled={isBusy} onClick={() => void template()}>
            Make it a template
          </Button>
        ) : null}
      </p>
      <p className="mt-1 text-[13px] text-ink-2">What is still to be done of it is a follow-up, under Tasks: it outlives the change.</p>
    </Panel>
  );
}
