import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Bell } from "lucide-react";
import { Popover } from "radix-ui";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../api/client";
import type { components } from "../api/schema";
import { ApprovalCard } from "../parts/ApprovalCard";
import { useNow } from "../parts/hooks";
import { when } from "../parts/time";
import { Button } from "../parts/ui";
import { useDesktopNotices } from "./desktop";
import { useSession } from "./session";

type Notice = components["schemas"]["NotificationShape"];

const SAYS: Record<string, string> = {
  "handed over": "handed it to you",
  yours: "it is yours",
  "taken over": "took it over",
  "requester wrote": "wrote",
  reopened: "says it is not solved",
  replied: "replied",
  resolved: "resolved it",
  cancelled: "cancelled it",
  late: "overdue",
  "date reached": "the date it waited for has come",
  "priority changed": "changed its priority",
  followed: "lets you follow it",
  "task given": "gave you a task",
  "task done": "did a task",
  "part ended": "a part of it ended",
  "request approved": "it is approved",
  "request refused": "rejected",
  "asked back": "has a question before approving",
  "approval asked": "asks you to approve",
  "approval decided": "approval answered",
  reminder: "you wanted to be reminded",
  merged: "merged it into another",
  "low score": "was not happy",
  "outside changed": "news from outside",
  "mail quarantined": "a mail was quarantined",
  "major suggested": "suggested as a major incident",
  "major declared": "declared a major incident",
  "major stood down": "stood it down",
  "update due": "an update is due soon",
  "update late": "an update is late",
  "asked in": "asks you in",
  mentioned: "calls you",
  paged: "pages you",
  "page unanswered": "nobody answered the page",
  "article disputed": "an article of yours did not help",
  "article answered": "you were answered",
  "article changed": "an article that you follow was changed",
  "article rule": "a rule tells you of an article",
  "article to review": "an article waits for its review",
  "pattern found": "keeps coming back: is there a problem behind it?",
  "change submitted": "a change is to be assessed",
  "change authorised": "your change is authorised",
  "change sent back": "sent your change back",
  "change fell back": "your change has to be assessed again",
  "change review due": "it is time to look back on it",
  "change put off": "the CAB put it off",
  "change stopped": "it was stopped and is backed out",
  "release waits": "its next phase waits for a go",
  "change mismatch": "a scan found it otherwise than expected",
  "change out of span": "it began outside its span",
  "change backed out": "it was backed out",
  "change looked back": "the change that was to end it is over",
  rule: "",
};

/** What is seen to in the room of a major incident. */
const IN_A_ROOM = new Set(["major declared", "major stood down", "update due", "update late", "asked in", "mentioned"]);

/** One in a line, for the desktop. */
function spoken(row: Notice): string {
  const who = row.actor && row.actor !== "Gannet" ? row.actor : "";
  return [[who, SAYS[row.event] ?? row.event].filter(Boolean).join(" "), row.text].filter(Boolean).join(": ");
}

/** What I should know of or decide, with what can be done about it there and then. */
export function Notifications() {
  const queries = useQueryClient();
  const { me } = useSession();
  const now = useNow();
  const [isOpen, setOpen] = useState(false);
  const { data } = useQuery({
    queryKey: ["notifications"],
    queryFn: () => ok(api.GET("/api/notifications")),
    refetchInterval: 60_000,
  });
  const reread = () => {
    for (const key of ["notifications", "lookout", "ticket", "approvals"]) void queries.invalidateQueries({ queryKey: [key] });
  };
  const open = (next: boolean) => {
    setOpen(next);
    if (next && (data?.unseen ?? 0) > 0)
      void ok(api.GET("/api/notifications", { params: { query: { seen: true } } })).then((fresh) =>
        queries.setQueryData(["notifications"], { ...fresh, unseen: 0 }),
      );
  };
  const act = async (work: Promise<unknown>) => {
    try {
      await work;
    } catch (error) {
      toast.error(sentence(error));
    }
    reread();
  };
  useDesktopNotices(me?.id, data?.rows, spoken);
  const rows = data?.rows ?? [];
  const unseen = data?.unseen ?? 0;
  const said = unseen > 99 ? "99+" : String(unseen); // of more than that the server counts none
  return (
    <Popover.Root open={isOpen} onOpenChange={open}>
      <Popover.Trigger
        className="relative grid h-8 w-8 shrink-0 place-items-center rounded-small hover:bg-bar-2"
        aria-label={unseen > 0 ? `Notifications, ${said} new` : "Notifications"}
      >
        <Bell size={18} aria-hidden="true" />
        {unseen > 0 ? (
          <span
            className="absolute -right-0.5 -top-0.5 min-w-[18px] rounded-full bg-crown px-1 text-center text-[11px] font-bold leading-[17px] text-[#17222b]"
            aria-hidden="true"
          >
            {said}
          </span>
        ) : null}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={8}
          collisionPadding={8}
          aria-label="Notifications"
          className="z-40 max-h-[78vh] w-[min(94vw,430px)] overflow-y-auto rounded-card border border-line-2 bg-sheet p-1 text-ink"
        >
          <div className="flex items-center justify-between px-3 py-1.5">
            <b>Notifications</b>
            {rows.length > 0 ? (
              <Button tone="quiet" onClick={() => void act(ok(api.DELETE("/api/notifications")))}>
                Mark all as read
              </Button>
            ) : null}
          </div>
          {rows.length === 0 ? <p className="px-3 py-6 text-center text-ink-2">Nothing you do not know of.</p> : null}
          <ul>
            {rows.map((row) => (
              <li key={row.id} className="border-t border-line px-3 py-2">
                <One
                  row={row}
                  now={now}
                  isDesk={me?.reads_desk ?? false}
                  onGo={() => setOpen(false)}
                  onDone={reread}
                  act={(work) => void act(work)}
                />
              </li>
            ))}
          </ul>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

interface OneProps {
  row: Notice;
  now: number;
  isDesk: boolean;
  onGo: () => void;
  onDone: () => void;
  act: (work: Promise<unknown>) => void;
}

function One({ row, now, isDesk, onGo, onDone, act }: OneProps) {
  const says = SAYS[row.event] ?? row.event;
  const isRoom = IN_A_ROOM.has(row.event);
  const to = isRoom ? `${isDesk ? "/desk/rooms" : "/room"}/${row.ticket ?? ""}` : `${isDesk ? "/desk/tickets" : "/my"}/${row.ticket ?? ""}`;
  const quick: [string, () => void][] = [];
  if (row.thing === "task" && row.thing_id !== null && row.ticket)
    quick.push([
      "Done",
      () =>
        act(
          ok(
            api.POST("/api/tickets/{number}/tasks/{task}", {
              params: { path: { number: row.ticket ?? 0, task: row.thing_id ?? 0 } },
              body: { state: "done" },
            }),
          ),
        ),
    ]);
  if (row.thing === "reminder" && row.thing_id !== null) {
    quick.push(["Done", () => act(ok(api.DELETE("/api/reminders/{reminder}", { params: { path: { reminder: row.thing_id ?? 0 } } })))]);
    quick.push([
      "In an hour",
      () =>
        act(
          ok(
            api.PUT("/api/reminders/{reminder}", {
              params: { path: { reminder: row.thing_id ?? 0 } },
              body: { at: new Date((now + 3600) * 1000).toISOString() },
            }),
          ),
        ),
    ]);
  }
  return (
    <>
      <p className={row.is_seen ? "" : "font-semibold"}>
        {row.actor && row.actor !== "Gannet" ? `${row.actor} ` : ""}
        {says}
        {row.count > 1 ? ` (${row.count})` : ""}
        <time className="ml-2 text-[13px] font-normal text-ink-2">{when(row.made_s, now)}</time>
      </p>
      {row.thing === "approval" && row.thing_id !== null ? (
        <Decide approval={row.thing_id} onDone={onDone} />
      ) : (
        <>
          {row.ticket ? (
            <Link to={to} onClick={onGo} className="block truncate hover:underline">
              <span className="font-mono text-[13px]">{row.ticket}</span> {row.ticket_title || row.title}
            </Link>
          ) : null}
          {row.ticket ? null : row.event === "pattern found" && isDesk ? (
            <Link to="/desk/problems" onClick={onGo} className="hover:underline">
              {row.title}
            </Link>
          ) : (
            <>
              {["article", "article news", "article rule"].includes(row.thing) && row.thing_id !== null ? (
                <Link to={`${isDesk ? "/desk" : ""}/articles/${row.thing_id}`} onClick={onGo} className="hover:underline">
                  {row.title}
                </Link>
              ) : (
                <p>{row.title}</p>
              )}
            </>
          )}
          {row.ticket && ["task given", "reminder", "low score"].includes(row.event) ? <p>{row.title}</p> : null}
          {row.text && row.text !== row.ticket_title ? <p className="line-clamp-2 text-[13px] text-ink-2">{row.text}</p> : null}
          <div className="mt-0.5 flex gap-3 text-[13px]">
            {row.ticket && (row.event === "requester wrote" || row.event === "reopened") && isDesk ? (
              <Link to={`${to}#reply`} onClick={onGo} className="min-h-[24px] underline">
                Reply
              </Link>
            ) : null}
            {quick.map(([label, does]) => (
              <button key={label} type="button" className="min-h-[24px] underline" onClick={does}>
                {label}
              </button>
            ))}
            {quick.length === 0 ? (
              <button
                type="button"
                className="min-h-[24px] text-ink-2 underline"
                onClick={() => act(ok(api.DELETE("/api/notifications/{number}", { params: { path: { number: row.id } } })))}
              >
                Mark as read
              </button>
            ) : null}
          </div>
        </>
      )}
    </>
  );
}

function Decide({ approval, onDone }: { approval: number; onDone: () => void }) {
  const { data } = useQuery({ queryKey: ["approvals"], queryFn: () => ok(api.GET("/api/approvals")) });
  const asked = data?.find((one) => one.id === approval);
  return asked ? <ApprovalCard approval={asked} onDone={onDone} /> : null;
}
