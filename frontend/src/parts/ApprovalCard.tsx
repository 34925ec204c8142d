import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, type Approval, ok, Problem, sentence } from "../api/client";
import { useSession } from "../shell/session";
import { serverNow } from "./hooks";
import { when } from "./time";
import { Button, inputClass } from "./ui";

interface ApprovalCardProps {
  approval: Approval;
  onDone: () => void;
}

export function money(pence: number): string {
  return (pence / 100).toLocaleString("en-GB", { minimumFractionDigits: pence % 100 === 0 ? 0 : 2 });
}

/** A question to decide, with the facts that matter; decided here in one move. */
export function ApprovalCard({ approval, onDone }: ApprovalCardProps) {
  const { me } = useSession();
  const [isRefusing, setRefusing] = useState(false);
  const [reason, setReason] = useState("");
  const [isBusy, setBusy] = useState(false);
  const decide = async (approves: boolean) => {
    setBusy(true);
    try {
      await ok(api.POST("/api/approvals/{approval}", { params: { path: { approval: approval.id } }, body: { approves, reason } }));
      toast(approves ? "Approved." : "Refused.");
      onDone();
    } catch (error) {
      toast.error(error instanceof Problem ? error.message : sentence(error));
      setBusy(false);
    }
  };
  const to = me?.reads_desk ? `/desk/tickets/${approval.ticket}` : `/my/${approval.ticket}`;
  return (
    <div className="border-b border-line py-2 last:border-0">
      <p className="font-semibold">
        {approval.what}
        {approval.cost_pence ? ` · ${money(approval.cost_pence)}` : ""}
      </p>
      <p className="text-[13px] text-ink-2">
        {approval.asked_by} asks, {when(approval.asked_s, serverNow())} · for {approval.requester} ·{" "}
        <Link to={to} className="underline">
          {approval.ticket} {approval.ticket_title}
        </Link>
      </p>
      {isRefusing ? (
        <form
          className="mt-1.5 flex gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            void decide(false);
          }}
        >
          <input autoFocus aria-label="Why not" placeholder="Why not?" maxLength={500} className={inputClass} value={reason} onChange={(event) => setReason(event.target.value)} />
          <Button type="submit" disabled={isBusy || !reason.trim()}>
            Refuse
          </Button>
          <Button tone="quiet" onClick={() => setRefusing(false)}>
            Back
          </Button>
        </form>
      ) : (
        <div className="mt-1.5 flex gap-2">
          <Button tone="sea" disabled={isBusy} onClick={() => void decide(true)}>
            Approve
          </Button>
          <Button disabled={isBusy} onClick={() => setRefusing(true)}>
            Refuse…
          </Button>
        </div>
      )}
    </div>
  );
}
