import { useQueryClient } from "@tanstack/react-query";
import { ChevronDown, ChevronRight } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { ApprovalCard } from "../../parts/ApprovalCard";
import { DoneDialog } from "../../parts/DoneDialog";
import { exact, when } from "../../parts/time";
import { Button } from "../../parts/ui";

const UNFOLDED = "gannet-besides";

type Found = components["schemas"]["LookoutShape"];

/** What needs me beside the tickets: questions to decide, tasks, reminders. */
export function Besides({ data, now }: { data: Found; now: number }) {
  const queries = useQueryClient();
  const [isAll, setAll] = useState(false);
  const [doing, setDoing] = useState<Found["tasks"][number] | null>(null);
  const reread = () => void queries.invalidateQueries({ queryKey: ["lookout"] });
  const act = async (work: Promise<unknown>, words: string) => {
    try {
      await work;
      toast(words);
    } catch (error) {
      toast.error(sentence(error));
    }
    reread();
  };
  const due = data.reminders.filter((reminder) => reminder.at_s <= now);
  const later = data.reminders.filter((reminder) => reminder.at_s > now);
  const tasks = isAll ? data.tasks : data.tasks.slice(0, 6);
  const [isUnfolded, setUnfolded] = useState(() => localStorage.getItem(UNFOLDED) === "yes");
  if (data.approvals.length + data.tasks.length + data.reminders.length === 0) return null;
  const unfold = (next: boolean) => {
    localStorage.setItem(UNFOLDED, next ? "yes" : "no");
    setUnfolded(next);
  };
  const strip = <Strip data={data} now={now} due={due} isUnfolded={isUnfolded} onUnfold={unfold} />;
  if (!isUnfolded) return strip;
  return (
    <>
      {strip}
      <div className="mb-3 grid grid-cols-[repeat(auto-fill,minmax(290px,1fr))] gap-3">
        {data.approvals.length > 0 ? (
          <section aria-label="Approvals" className="rounded-card border border-line bg-sheet px-3.5 py-2.5">
            <h2 className="font-bold">Approvals</h2>
            {data.approvals.map((approval) => (
              <ApprovalCard key={approval.id} approval={approval} onDone={reread} />
            ))}
          </section>
        ) : null}
        {data.tasks.length > 0 ? (
          <section aria-label="Tasks" className="rounded-card border border-line bg-sheet px-3.5 py-2.5">
            <h2 className="font-bold">Tasks</h2>
            <ul>
              {tasks.map((task) => (
                <li key={task.id} className="flex items-baseline gap-2 border-b border-line py-1 last:border-0">
                  <input
                    type="checkbox"
                    id={`lookout-task-${task.id}`}
                    disabled={task.waits_for.length > 0}
                    checked={false}
                    onChange={() =>
                      task.outputs.length > 0
                        ? setDoing(task)
                        : void act(
                            ok(
                              api.POST("/api/tickets/{number}/tasks/{task}", {
                                params: { path: { number: task.ticket, task: task.id } },
                                body: { state: "done" },
                              }),
                            ),
                            "Done.",
                          )
                    }
                  />
                  <label htmlFor={`lookout-task-${task.id}`} className="min-w-0 flex-1">
                    {task.title}
                    <span className="block truncate text-[13px] text-ink-2">
                      {task.waits_for.length > 0 ? `after ${task.waits_for.join(", ")} · ` : ""}
                      {task.is_mine ? "" : `${task.team}, unassigned · `}
                      {task.due_s ? `due ${when(task.due_s, now)} · ` : ""}
                      {task.ticket_title}
                    </span>
                  </label>
                  <Link
                    to={`/desk/tickets/${task.ticket}`}
                    className="font-mono text-[13px] underline"
                    aria-label={`Ticket ${task.ticket}`}
                  >
                    {task.ticket}
                  </Link>
                </li>
              ))}
            </ul>
            {data.tasks.length > tasks.length ? (
              <Button tone="quiet" onClick={() => setAll(true)}>
                {data.tasks.length - tasks.length} more
              </Button>
            ) : null}
          </section>
        ) : null}
        {doing ? (
          <DoneDialog
            number={doing.ticket}
            task={{ ...doing, outputs: doing.outputs.map((name) => ({ name, value: "" })) }}
            onClose={() => setDoing(null)}
          />
        ) : null}
        {data.reminders.length > 0 ? (
          <section aria-label="Reminders" className="rounded-card border border-line bg-sheet px-3.5 py-2.5">
            <h2 className="font-bold">Reminders</h2>
            <ul>
              {[...due, ...later].map((reminder) => (
                <li
                  key={reminder.id}
                  className={`flex items-baseline gap-2 border-b border-line py-1 last:border-0 ${reminder.at_s <= now ? "font-semibold" : ""}`}
                >
                  <time className="shrink-0 text-[13px] text-ink-2" title={exact(reminder.at_s)}>
                    {when(reminder.at_s, now)}
                  </time>
                  <span className="min-w-0 flex-1 truncate">
                    {reminder.text || reminder.title}
                    {reminder.ticket ? (
                      <>
                        {" "}
                        <Link to={`/desk/tickets/${reminder.ticket}`} className="font-mono text-[13px] font-normal underline">
                          {reminder.ticket}
                        </Link>
                      </>
                    ) : null}
                  </span>
                  <Button
                    tone="quiet"
                    onClick={() =>
                      void act(
                        ok(
                          api.PUT("/api/reminders/{reminder}", {
                            params: { path: { reminder: reminder.id } },
                            body: { at: new Date((Math.max(now, reminder.at_s) + 3600) * 1000).toISOString() },
                          }),
                        ),
                        "An hour later.",
                      )
                    }
                  >
                    +1 h
                  </Button>
                  <Button
                    tone="quiet"
                    aria-label={`Done: ${reminder.text || reminder.title}`}
                    onClick={() =>
                      void act(ok(api.DELETE("/api/reminders/{reminder}", { params: { path: { reminder: reminder.id } } })), "Done.")
                    }
                  >
                    Done
                  </Button>
                </li>
              ))}
            </ul>
          </section>
        ) : null}
      </div>
    </>
  );
}

interface StripProps {
  data: Found;
  now: number;
  due: Found["reminders"];
  isUnfolded: boolean;
  onUnfold: (isUnfolded: boolean) => void;
}

/** Folded: how many of each there are, and the first of them. */
function Strip({ data, now, due, isUnfolded, onUnfold }: StripProps) {
  const reminder = due[0] ?? data.reminders[0];
  const parts: [string, number, string][] = [
    ["Approvals", data.approvals.length, data.approvals[0]?.what ?? ""],
    ["Tasks", data.tasks.length, data.tasks[0]?.title ?? ""],
    ["Reminders", data.reminders.length, reminder ? `${when(reminder.at_s, now)} ${reminder.text || reminder.title}` : ""],
  ];
  const shown = parts.filter(([, count]) => count > 0);
  return (
    <button
      type="button"
      aria-expanded={isUnfolded}
      className="mb-2 flex w-full items-stretch overflow-hidden rounded-card border border-line bg-sheet text-left hover:border-line-2"
      onClick={() => onUnfold(!isUnfolded)}
    >
      <span className="flex items-center px-2.5">
        {isUnfolded ? <ChevronDown size={15} aria-hidden="true" /> : <ChevronRight size={15} aria-hidden="true" />}
      </span>
      {shown.map(([label, count, first]) => (
        <span key={label} className="flex min-w-0 flex-1 items-center gap-1.5 border-l border-line px-3 py-1.5">
          <b>{label}</b> {count}
          {isUnfolded ? null : <span className="min-w-0 truncate text-[13px] text-ink-2">{first}</span>}
        </span>
      ))}
    </button>
  );
}
