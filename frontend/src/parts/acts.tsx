import { useNavigate } from "react-router";
import { type Ticket } from "../api/client";
import { type ActName } from "./actForm";
import { actOf, type RecordAct } from "./recordActs";
import { AskForm, EscalateForm, ResolveForm, UnwantedForm } from "./moreActs";
import { LinkForm } from "./linkActs";
import { MergeForm } from "./linkActs";
import { OutwardForm } from "./outwardActs";
import { PageForm } from "./PageForm";
import { Dialog } from "./ui";
import { WaitForm, HandOverForm, PriorityForm } from "./holdActs";
import { PlainForm, WordsForm, AnnounceForm } from "./wordActs";
import { DeclareDialog } from "../screens/rooms/DeclareDialog";

interface ActDialogProps {
  ticket: Ticket;
  act: ActName | null;
  /** The ticket that a merge is offered to go on as; of resolving, the article that solved it. */
  into?: number | undefined;
  onClose: () => void;
}

/** The dialogs of the acts that need words; what is typed is kept until it is sent. */
export function ActDialog({ ticket, act, into, onClose }: ActDialogProps) {
  const navigate = useNavigate();
  if (act === null) return null;
  if (act === "declare-major") return <DeclareDialog incident={{ id: ticket.id, title: ticket.title }} onClose={onClose} />;
  const forms: Partial<Record<ActName, () => React.ReactNode>> = {
    wait: () => <WaitForm ticket={ticket} onClose={onClose} />,
    "hand-over": () => <HandOverForm ticket={ticket} onClose={onClose} />,
    priority: () => <PriorityForm ticket={ticket} onClose={onClose} />,
    resolve: () => <ResolveForm ticket={ticket} onClose={onClose} solvedBy={into} />,
    escalate: () => <EscalateForm ticket={ticket} onClose={onClose} />,
    approvals: () => <AskForm ticket={ticket} onClose={onClose} />,
    links: () => <LinkForm ticket={ticket} onClose={onClose} />,
    merge: () => (
      <MergeForm ticket={ticket} onClose={onClose} into={into} onMerged={(number) => void navigate(`/desk/tickets/${number}`)} />
    ),
    "not-for-us": () => <UnwantedForm ticket={ticket} onClose={onClose} />,
    outward: () => <OutwardForm ticket={ticket} onClose={onClose} />,
    reopen: () => <WordsForm ticket={ticket} onClose={onClose} name="reopen" field="why" label="What is still wrong?" button="Reopen" />,
    cancel: () => (
      <WordsForm
        ticket={ticket}
        onClose={onClose}
        name="cancel"
        field="why"
        label="Why is it not needed?"
        help={`${ticket.facts.requester.name} reads it by e-mail.`}
        button="Withdraw"
      />
    ),
    page: () => <PageForm ticket={ticket} onClose={onClose} />,
    announce: () => <AnnounceForm ticket={ticket} onClose={onClose} />,
  };
  const titles: Partial<Record<ActName, string>> = {
    wait: `Wait with ${ticket.id}`,
    "hand-over": `Hand ${ticket.id} over`,
    priority: `Set the priority of ${ticket.id} by hand`,
    resolve: `Resolve ${ticket.id}`,
    reopen: `Reopen ${ticket.id}`,
    cancel: `Cancel ${ticket.id}`,
    escalate: `Escalate ${ticket.id}`,
    approvals: `Ask for an approval on ${ticket.id}`,
    links: `Link ${ticket.id}`,
    merge: `Merge ${ticket.id} into another`,
    "not-for-us": `${ticket.id} is not ours`,
    outward: `Beyond the desk: ${ticket.id}`,
    page: `Page whoever is on call about ${ticket.id}`,
    announce: `Announce ${ticket.id} as a known outage`,
  };
  const entry = actOf(ticket, act);
  const form = forms[act] ?? (entry ? () => <PlainForm ticket={ticket} act={entry} onClose={onClose} /> : undefined);
  return (
    <Dialog title={titles[act] ?? entry?.command ?? ""} about={ticket.title} isOpen onClose={onClose}>
      {form?.()}
    </Dialog>
  );
}

const WITH_FORM = new Set([
  "wait",
  "hand-over",
  "priority",
  "resolve",
  "escalate",
  "approvals",
  "links",
  "merge",
  "not-for-us",
  "outward",
  "reopen",
  "cancel",
  "announce",
  "page",
  "declare-major",
]);

/** Whether an act asks for something before it is done. */
export function asksFirst(act: RecordAct): boolean {
  return WITH_FORM.has(act.name) || act.asks.length > 0;
}
