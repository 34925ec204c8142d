import { useQuery, useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence, type Ticket } from "../../api/client";
import { PersonPicker } from "../../parts/PersonPicker";
import { can, type RecordAct, shown } from "../../parts/recordActs";
import { Button, Dialog, ErrorNote } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { NewChange } from "../changes/NewChange";
import { NewProblem } from "../problems/NewProblem";
import { RequestDialog } from "./RequestDialog";

export function RoutinesMenu({ onPick }: { onPick: (routine: number) => void }) {
  const { data } = useQuery({ queryKey: ["routines"], queryFn: () => ok(api.GET("/api/routines")), staleTime: 60_000 });
  if (!data || data.length === 0) return null;
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button>Routines ▾</Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" sideOffset={5} className="z-40 min-w-[230px] rounded-card border border-line-2 bg-sheet p-1">
          {data.map((routine) => (
            <DropdownMenu.Item
              key={routine.id}
              onSelect={() => onPick(routine.id)}
              className="cursor-pointer rounded px-3 py-1.5 outline-none data-[highlighted]:bg-sea-3"
            >
              {routine.name} <span className="text-ink-2">{routine.whose}</span>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** One act of the bar; its key stands beside it. */
export function ActButton({
  act,
  onPress,
  isBusy,
  isMain = false,
}: {
  act: RecordAct;
  onPress: (act: RecordAct) => void;
  isBusy: boolean;
  isMain?: boolean;
}) {
  return (
    <Button
      {...(act.key ? { hint: act.key.toUpperCase() } : {})}
      {...(isMain ? { tone: "sea" as const } : {})}
      disabled={isBusy || act.why_not !== ""}
      {...(act.why_not || act.hint ? { title: act.why_not || act.hint } : {})}
      onClick={() => onPress(act)}
    >
      {act.label}
    </Button>
  );
}

export function MoreMenu({ ticket, onAct, onRemind }: { ticket: Ticket; onAct: (act: RecordAct) => void; onRemind: () => void }) {
  const queries = useQueryClient();
  const { me } = useSession();
  const follows = ticket.followers.some((follower) => follower.id === me?.id);
  const simple = async (name: "follow" | "unfollow") => {
    try {
      const next = await ok(
        api.POST(`/api/tickets/{number}/${name}` as "/api/tickets/{number}/follow", {
          params: { path: { number: ticket.id } },
          body: {} as never,
        }),
      );
      queries.setQueryData(["ticket", ticket.id], next);
    } catch (error) {
      toast.error(sentence(error));
    }
  };
  const markLater = async () => {
    try {
      await ok(
        api.POST("/api/tickets/{number}/mark", { params: { path: { number: ticket.id } }, body: { is_marked: !ticket.mine.is_marked } }),
      );
      toast(ticket.mine.is_marked ? "No longer marked." : "Marked for later.");
      void queries.invalidateQueries({ queryKey: ["ticket", ticket.id] });
    } catch (error) {
      toast.error(sentence(error));
    }
  };
  const [isSharing, setSharing] = useState(false);
  const [isProblem, setProblem] = useState(false);
  const [isChange, setChange] = useState(false);
  const [isRequesting, setRequesting] = useState(false);
  const [, setParams] = useSearchParams();
  const acts = shown(ticket, "menu");
  const own: [string, boolean, () => void][] = [
    ["Remind me…", true, onRemind],
    [ticket.mine.is_marked ? "No longer marked for later" : "Mark for later", true, () => void markLater()],
    [follows ? "Stop following" : "Follow", true, () => void simple(follows ? "unfollow" : "follow")],
    ["Let somebody follow…", can(ticket, "note"), () => setSharing(true)],
    ["Create a part of it…", can(ticket, "note") && ticket.is_open, () => setParams({ log: `from-${ticket.id}` })],
    ["Open a problem of it…", ticket.kind === "incident" && can(ticket, "note"), () => setProblem(true)],
    ["Request a change for it…", isPlain(ticket, "incident", "problem"), () => setChange(true)],
    ["Copy this change…", isPlain(ticket, "change"), () => setChange(true)],
    ["Create a request from it…", can(ticket, "note"), () => setRequesting(true)],
    ["Print", true, () => window.print()],
  ];
  return (
    <>
      {isRequesting ? <RequestDialog ticket={ticket} onClose={() => setRequesting(false)} /> : null}
      {isProblem ? <NewProblem incidents={[ticket.id]} title={ticket.title} onClose={() => setProblem(false)} /> : null}
      {isChange ? <NewChange of={originOf(ticket)} title={titleOf(ticket)} onClose={() => setChange(false)} /> : null}
      {isSharing ? <ShareDialog ticket={ticket} onClose={() => setSharing(false)} /> : null}
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button>More ▾</Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" sideOffset={5} className="z-40 min-w-[210px] rounded-card border border-line-2 bg-sheet p-1">
            {acts.map((act) => (
              <DropdownMenu.Item
                key={act.name}
                disabled={act.why_not !== ""}
                onSelect={() => onAct(act)}
                className="max-w-[300px] cursor-pointer rounded px-3 py-1.5 outline-none data-[disabled]:cursor-default data-[highlighted]:bg-sea-3 data-[disabled]:text-ink-2"
              >
                {act.label}
                {act.why_not ? <span className="block text-[12px] leading-tight">{act.why_not}</span> : null}
              </DropdownMenu.Item>
            ))}
            <DropdownMenu.Separator className="my-1 h-px bg-line" />
            {own
              .filter(([, isShown]) => isShown)
              .map(([label, , does]) => (
                <DropdownMenu.Item
                  key={label}
                  onSelect={does}
                  className="cursor-pointer rounded px-3 py-1.5 outline-none data-[highlighted]:bg-sea-3"
                >
                  {label}
                </DropdownMenu.Item>
              ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </>
  );
}

function isPlain(ticket: Ticket, ...kinds: string[]): boolean {
  return kinds.includes(ticket.kind) && can(ticket, "note");
}

/** What a change is opened for, or copied from. */
function originOf(ticket: Ticket): { problem?: number; incident?: number; copied?: number } {
  if (ticket.kind === "problem") return { problem: ticket.id };
  return ticket.kind === "change" ? { copied: ticket.id } : { incident: ticket.id };
}

function titleOf(ticket: Ticket): string {
  if (ticket.kind === "change") return ticket.title;
  return ticket.kind === "problem" ? `End of: ${ticket.title}` : "";
}

/** Let somebody follow: they may then read it, and hear of public replies. */
function ShareDialog({ ticket, onClose }: { ticket: Ticket; onClose: () => void }) {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [problem, setProblem] = useState("");
  const add = async (person: number) => {
    try {
      const next = await ok(api.POST("/api/tickets/{number}/follow", { params: { path: { number: ticket.id } }, body: { person } }));
      queries.setQueryData(["ticket", ticket.id], next);
      onClose();
    } catch (error) {
      setProblem(sentence(error));
    }
  };
  return (
    <Dialog title={`Let somebody follow ${ticket.id}`} about="They may read it and hear of replies by mail." isOpen onClose={onClose}>
      <PersonPicker label="Who" name={name} onName={setName} onPick={(person) => void add(person.id)} />
      {problem ? <ErrorNote>{problem}</ErrorNote> : null}
      <div className="mt-40 flex justify-end">
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </Dialog>
  );
}
