import { DropdownMenu } from "radix-ui";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence, type Ticket } from "../../api/client";
import { useSession } from "../../shell/session";
import { type ActName, useAct } from "../actForm";
import { ActDialog, asksFirst } from "../acts";
import { Number } from "../marks";
import { bodyOf, can, possible, type RecordAct } from "../recordActs";
import { RemindDialog } from "../RemindDialog";
import { useTicket } from "../Reader";

interface Asked {
  number: number;
  /** The letter that was pressed on the row; without one its menu is shown. */
  key: string | null;
  at: { x: number; y: number };
}

export interface RowActsState {
  asked: Asked | null;
  showMenu: (number: number, at: { x: number; y: number }) => void;
  begin: (number: number, key: string) => void;
  close: () => void;
}

/** What is being done with one row of a list, by its menu or by a letter. */
export function useRowActs(): RowActsState {
  const [asked, setAsked] = useState<Asked | null>(null);
  const showMenu = useCallback((number: number, at: { x: number; y: number }) => setAsked({ number, key: null, at }), []);
  const begin = useCallback((number: number, key: string) => setAsked({ number, key, at: { x: 0, y: 0 } }), []);
  const close = useCallback(() => setAsked(null), []);
  return useMemo(() => ({ asked, showMenu, begin, close }), [asked, showMenu, begin, close]);
}

/** Acts on one row without leaving the list: its menu, or the act whose letter was pressed. */
export function RowActs({ acts, onRead }: { acts: RowActsState; onRead: (number: number) => void }) {
  const { asked, close } = acts;
  if (!asked) return null;
  return <OfRow key={`${asked.number}/${asked.key ?? ""}`} asked={asked} onClose={close} onRead={() => onRead(asked.number)} />;
}

function OfRow({ asked, onClose, onRead }: { asked: Asked; onClose: () => void; onRead: () => void }) {
  const { number, key } = asked;
  const { data: ticket, error } = useTicket(number);
  const act = useAct(number);
  const navigate = useNavigate();
  const [chosen, setChosen] = useState<ActName | null>(null);
  const [isReminding, setReminding] = useState(key === "b");
  const hasBegun = useRef(false);
  const begin = (one: RecordAct) => {
    if (one.name === "reply" || one.name === "note") void navigate(`/desk/tickets/${number}#${one.name}`);
    else if (asksFirst(one)) setChosen(one.name);
    else if (ticket) {
      act.mutate({ name: one.name, body: bodyOf(ticket, one.name) });
      onClose();
    }
  };
  useEffect(() => {
    if (error) {
      toast.error(sentence(error));
      onClose();
    }
    if (!ticket || key === null || key === "b" || hasBegun.current) return;
    hasBegun.current = true;
    const one = ticket.acts.find((candidate) => candidate.key === key);
    if (one?.why_not === "") begin(one);
    else {
      if (one) toast(one.why_not || `That cannot be done with ${number} now.`);
      onClose();
    }
    // Once, as soon as the ticket is there.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [ticket, error]);
  return (
    <>
      {key === null && chosen === null && !isReminding ? (
        <RowMenu
          number={number}
          ticket={ticket}
          at={asked.at}
          onClose={onClose}
          onRead={onRead}
          onBegin={begin}
          onRemind={() => setReminding(true)}
        />
      ) : null}
      {ticket && chosen ? <ActDialog ticket={ticket} act={chosen} onClose={onClose} /> : null}
      {ticket && isReminding ? <RemindDialog ticket={ticket} onClose={onClose} /> : null}
    </>
  );
}

interface RowMenuProps {
  number: number;
  ticket: Ticket | undefined;
  at: { x: number; y: number };
  onClose: () => void;
  onRead: () => void;
  onBegin: (act: RecordAct) => void;
  onRemind: () => void;
}

interface MenuLine {
  label: string;
  key: string;
  does: () => void;
}

/** Everything that can be done with a row: the same acts as on its page. */
function RowMenu({ number, ticket, at, onClose, onRead, onBegin, onRemind }: RowMenuProps) {
  const { me } = useSession();
  const navigate = useNavigate();
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
  const line = (one: RecordAct): MenuLine => ({ label: one.label, key: one.key, does: () => onBegin(one) });
  const go = (address: string) => () => void navigate(address);
  const follows = ticket?.followers.some((follower) => follower.id === me?.id) ?? false;
  const read = () => {
    onRead();
    onClose();
  };
  const groups: MenuLine[][] = ticket
    ? [
        [
          { label: "Open", key: "Enter", does: go(`/desk/tickets/${number}`) },
          { label: "Open at the side", key: "Space", does: read },
        ],
        [
          ...(can(ticket, "reply") ? [{ label: "Reply", key: "r", does: go(`/desk/tickets/${number}#reply`) }] : []),
          ...(can(ticket, "note") ? [{ label: "Note", key: "n", does: go(`/desk/tickets/${number}#note`) }] : []),
          ...possible(ticket, "bar", "main").map(line),
          ...possible(ticket, "menu")
            .filter((one) => one.key !== "")
            .map(line),
        ],
        possible(ticket, "menu")
          .filter((one) => one.key === "")
          .map(line),
        [
          { label: "Remind me…", key: "b", does: onRemind },
          {
            label: ticket.mine.is_marked ? "No longer marked for later" : "Mark for later",
            key: "",
            does: () =>
              void own(
                ok(api.POST("/api/tickets/{number}/mark", { ...path, body: { is_marked: !ticket.mine.is_marked } })),
                ticket.mine.is_marked ? "No longer marked." : "Marked for later.",
              ),
          },
          {
            label: follows ? "Stop following" : "Follow",
            key: "",
            does: () =>
              void own(
                ok(
                  api.POST(`/api/tickets/{number}/${follows ? "unfollow" : "follow"}` as "/api/tickets/{number}/follow", {
                    ...path,
                    body: {} as never,
                  }),
                ),
                follows ? "No longer followed." : "Followed.",
              ),
          },
          { label: "Print", key: "", does: () => void window.open(`/desk/tickets/${number}?print=1`, "_blank") },
        ],
      ]
    : [];
  return (
    <DropdownMenu.Root open onOpenChange={(isOpen) => !isOpen && onClose()}>
      <DropdownMenu.Trigger asChild>
        <span aria-hidden="true" className="fixed h-px w-px" style={{ left: at.x, top: at.y }} />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="start"
          collisionPadding={10}
          aria-label={`Ticket ${number}`}
          className="z-40 max-h-[92vh] min-w-[230px] overflow-y-auto rounded-card border border-line-2 bg-sheet p-1"
        >
          {ticket ? (
            <DropdownMenu.Label className="flex gap-2 px-3 py-1 text-[13px] text-ink-2">
              <Number row={ticket} /> {ticket.facts.requester.name}
            </DropdownMenu.Label>
          ) : (
            <div className="px-3 py-2 text-ink-2">Reading {number}…</div>
          )}
          {groups
            .filter((lines) => lines.length > 0)
            .map((lines, index) => (
              <DropdownMenu.Group key={index} className="border-t border-line py-0.5">
                {lines.map((one) => (
                  <DropdownMenu.Item
                    key={one.label}
                    className="flex cursor-pointer items-center justify-between gap-6 rounded px-3 py-[3px] outline-none data-[highlighted]:bg-sea-3"
                    onSelect={(event) => {
                      event.preventDefault();
                      one.does();
                    }}
                  >
                    {one.label}
                    {one.key ? (
                      <kbd className="rounded border border-line-2 px-1 font-mono text-[11px] text-ink-2">
                        {one.key.length === 1 ? one.key.toUpperCase() : one.key}
                      </kbd>
                    ) : null}
                  </DropdownMenu.Item>
                ))}
              </DropdownMenu.Group>
            ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
