import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { useSession } from "../../shell/session";
import { type ActName, useAct } from "../actForm";
import { ActDialog, asksFirst } from "../acts";
import { bodyOf, can, possible, type RecordAct } from "../recordActs";
import { RemindDialog } from "../RemindDialog";
import { useTicket } from "../Reader";

interface RowMenuProps {
  number: number;
  at: { x: number; y: number };
  onClose: () => void;
  onRead: () => void;
}

/** What can be done with one row, without leaving the list. */
export function RowMenu({ number, at, onClose, onRead }: RowMenuProps) {
  const { data: ticket } = useTicket(number);
  const { me } = useSession();
  const act = useAct(number);
  const navigate = useNavigate();
  const [chosen, setChosen] = useState<ActName | null>(null);
  const [isReminding, setReminding] = useState(false);
  const follows = ticket?.followers.some((follower) => follower.id === me?.id) ?? false;
  const own = async (work: Promise<unknown>, words: string) => {
    try {
      await work;
      toast(words);
    } catch (error) {
      toast.error(sentence(error));
    }
    onClose();
  };
  const path = { params: { path: { number } } };
  const begin = (one: RecordAct) => {
    if (asksFirst(one)) setChosen(one.name);
    else if (ticket) {
      act.mutate({ name: one.name, body: bodyOf(ticket, one.name) });
      onClose();
    }
  };
  const items: [string, boolean, () => void][] = ticket
    ? [
        [
          "Read it here",
          true,
          () => {
            onRead();
            onClose();
          },
        ],
        ["Open it", true, () => void navigate(`/desk/tickets/${number}`)],
        ["Reply", can(ticket, "reply"), () => void navigate(`/desk/tickets/${number}#reply`)],
        ...possible(ticket, "bar", "main").map((one): [string, boolean, () => void] => [one.label, true, () => begin(one)]),
        ...possible(ticket, "menu")
          .filter((one) => one.key !== "")
          .map((one): [string, boolean, () => void] => [one.label, true, () => begin(one)]),
        ["Remind me…", true, () => setReminding(true)],
        [
          ticket.mine.is_marked ? "No longer marked for later" : "Mark for later",
          true,
          () =>
            void own(
              ok(api.POST("/api/tickets/{number}/mark", { ...path, body: { is_marked: !ticket.mine.is_marked } })),
              ticket.mine.is_marked ? "No longer marked." : "Marked for later.",
            ),
        ],
        [
          follows ? "Stop following" : "Follow",
          true,
          () =>
            void own(
              ok(
                api.POST(`/api/tickets/{number}/${follows ? "unfollow" : "follow"}` as "/api/tickets/{number}/follow", {
                  ...path,
                  body: {} as never,
                }),
              ),
              follows ? "No longer followed." : "Followed.",
            ),
        ],
        ["Print it", true, () => void window.open(`/desk/tickets/${number}?print=1`, "_blank")],
      ]
    : [];
  const isAsking = chosen !== null || isReminding;
  return (
    <>
      <DropdownMenu.Root open={!isAsking} onOpenChange={(isOpen) => !isOpen && !isAsking && onClose()}>
        <DropdownMenu.Trigger asChild>
          <span aria-hidden="true" className="fixed h-px w-px" style={{ left: at.x, top: at.y }} />
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            align="start"
            collisionPadding={10}
            aria-label={`Ticket ${number}`}
            className="z-40 min-w-[200px] rounded-card border border-line-2 bg-sheet p-1"
          >
            {ticket ? null : <div className="px-3 py-2 text-ink-2">Reading {number}…</div>}
            {items
              .filter(([, isShown]) => isShown)
              .map(([label, , does]) => (
                <DropdownMenu.Item
                  key={label}
                  className="cursor-pointer rounded px-3 py-1.5 outline-none data-[highlighted]:bg-sea-3"
                  onSelect={(event) => {
                    event.preventDefault();
                    does();
                  }}
                >
                  {label}
                </DropdownMenu.Item>
              ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {ticket && chosen ? <ActDialog ticket={ticket} act={chosen} onClose={onClose} /> : null}
      {ticket && isReminding ? <RemindDialog ticket={ticket} onClose={onClose} /> : null}
    </>
  );
}
