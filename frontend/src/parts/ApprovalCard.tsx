import { money } from "./money";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, type Approval, ok, Problem, sentence } from "../api/client";
import { useSession } from "../shell/session";
import { askedRows, FactRows } from "./ApprovalFacts";
import { ColleaguePicker } from "./ColleaguePicker";
import { serverNow } from "./hooks";
import { instantOfLocal, localInput, when } from "./time";
import { Button, inputClass } from "./ui";
import { WhenInput } from "./WhenInput";

interface ApprovalCardProps {
  approval: Approval;
  onDone: () => void;
}

type Doing = "approve" | "refuse" | "ask back" | "pass on" | null;

/** A question to decide, with the facts that matter; decided here in one move. */
export function ApprovalCard({ approval, onDone }: ApprovalCardProps) {
  const { me } = useSession();
  const [doing, setDoing] = useState<Doing>(null);
  const [reason, setReason] = useState("");
  const [until, setUntil] = useState("");
  const [to, setTo] = useState<{ id: number; name: string; isBoard?: boolean }>({ id: 0, name: "" });
  const boards = useQuery({
    queryKey: ["boards"],
    queryFn: () => ok(api.GET("/api/boards")),
    staleTime: 300_000,
    enabled: doing === "pass on",
  });
  const [isBusy, setBusy] = useState(false);
  const path = { params: { path: { approval: approval.id } } };
  const run = async (work: () => Promise<unknown>, words: string) => {
    setBusy(true);
    try {
      await work();
      toast(words);
      onDone();
    } catch (error) {
      toast.error(error instanceof Problem ? error.message : sentence(error));
    }
    setBusy(false);
  };
  const decide = (approves: boolean) =>
    run(() => ok(api.POST("/api/approvals/{approval}", { ...path, body: { approves, reason } })), approves ? "Approved." : "Rejected.");
  const askBack = () =>
    run(
      () =>
        ok(
          api.POST("/api/approvals/{approval}/ask-back", {
            ...path,
            body: { question: reason, until: until ? new Date(instantOfLocal(until) * 1000).toISOString() : null },
          }),
        ),
      reason ? "Asked. It comes back with the answer." : "Put off. It comes back on that day.",
    );
  const passOn = () =>
    run(
      () =>
        ok(
          api.POST("/api/approvals/{approval}/pass-on", { ...path, body: { ...(to.isBoard ? { board: to.id } : { to: to.id }), reason } }),
        ),
      `Forwarded to ${to.isBoard ? "the " : ""}${to.name}.`,
    );
  // Somebody else's question, which the reader may decide with a reason.
  const isInPlace = approval.in_place && !approval.is_mine;
  const link = me?.reads_desk ? `/desk/tickets/${approval.ticket}` : `/my/${approval.ticket}`;
  return (
    <div className="border-b border-line py-2 last:border-0">
      <p className="font-semibold">
        {approval.what}
        {approval.cost_pence ? ` · ${money(approval.cost_pence)}` : ""}
        {approval.monthly_pence ? `${approval.cost_pence ? " +" : " ·"} ${money(approval.monthly_pence)} a month` : ""}
      </p>
      <p className="text-[13px] text-ink-2">
        {approval.asked_by} asks, {when(approval.asked_s, serverNow())}
        {approval.for_whom && approval.for_whom !== approval.asked_by ? ` · for ${approval.for_whom}` : ""}
        {approval.for_deputy ? ` · ${isInPlace ? "asked of" : "you approve for"} ${approval.for_deputy}` : ""} ·{" "}
        <Link to={link} className="underline">
          {approval.ticket} {approval.ticket_title}
        </Link>
      </p>
      <Facts approval={approval} />
      {doing ? (
        <form
          className="mt-1.5 flex flex-col gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (doing === "approve") void decide(true);
            else if (doing === "refuse") void decide(false);
            else if (doing === "ask back") void askBack();
            else void passOn();
          }}
        >
          {doing === "pass on" ? (
            <ColleaguePicker
              label="To whom"
              takesFocus
              name={to.name}
              onName={(name) => setTo({ id: 0, name })}
              onPick={(person) => setTo({ id: person.id, name: person.name ?? "" })}
            />
          ) : null}
          {doing === "pass on" && boards.data?.length ? (
            <p className="text-[13px] text-ink-2">
              or to a board, where the first decides:{" "}
              {boards.data.map((board) => (
                <button
                  key={board.id}
                  type="button"
                  aria-pressed={to.isBoard === true && to.id === board.id}
                  className="why mr-2 min-h-[24px] text-ink"
                  onClick={() => setTo({ id: board.id, name: board.name ?? "", isBoard: true })}
                >
                  {board.name}
                </button>
              ))}
            </p>
          ) : null}
          <input
            autoFocus={doing !== "pass on"}
            aria-label={WORDS[doing].label}
            placeholder={doing === "approve" && isInPlace ? `Why in place of ${approval.asked_of}?` : WORDS[doing].asks}
            maxLength={500}
            className={inputClass}
            value={reason}
            onChange={(event) => setReason(event.target.value)}
          />
          {doing === "ask back" ? (
            <label className="flex items-center gap-2 text-[13px] text-ink-2">
              or put it off until
              <WhenInput
                min={localInput(serverNow())}
                className={`${inputClass} !w-auto`}
                value={until}
                onChange={(next) => setUntil(next)}
              />
            </label>
          ) : null}
          <div className="flex gap-2">
            <Button
              type="submit"
              disabled={
                isBusy ||
                ((doing === "refuse" || (doing === "approve" && isInPlace)) && !reason.trim()) ||
                (doing === "ask back" && !reason.trim() && !until) ||
                (doing === "pass on" && !to.id)
              }
            >
              {doing === "approve"
                ? "Approve"
                : doing === "refuse"
                  ? "Reject"
                  : doing === "ask back"
                    ? reason.trim() || !until
                      ? "Ask"
                      : "Put off"
                    : "Forward"}
            </Button>
            <Button tone="quiet" onClick={() => setDoing(null)}>
              Back
            </Button>
          </div>
        </form>
      ) : (
        <div className="mt-1.5 flex flex-wrap gap-2">
          {isInPlace ? (
            <Button tone="sea" disabled={isBusy} onClick={() => setDoing("approve")}>
              Approve in their place…
            </Button>
          ) : (
            <>
              <Button tone="sea" disabled={isBusy} onClick={() => void decide(true)}>
                Approve
              </Button>
              <Button disabled={isBusy} onClick={() => setDoing("approve")}>
                Comment…
              </Button>
            </>
          )}
          <Button disabled={isBusy} onClick={() => setDoing("refuse")}>
            Reject…
          </Button>
          {isInPlace ? null : (
            <>
              <Button disabled={isBusy} onClick={() => setDoing("ask back")}>
                Ask a question…
              </Button>
              <Button disabled={isBusy} onClick={() => setDoing("pass on")}>
                Forward…
              </Button>
            </>
          )}
        </div>
      )}
    </div>
  );
}

const WORDS: Record<Exclude<Doing, null>, { label: string; asks: string }> = {
  approve: { label: "Comment", asks: "What should they know? It stands with your approval." },
  refuse: { label: "Why not", asks: "Why not?" },
  "ask back": { label: "Question to the requester", asks: "What do you want to know?" },
  "pass on": { label: "Why them", asks: "Why them, if it helps" },
};

/** What it is, why, from which cost centre, and what was approved before. */
function Facts({ approval }: { approval: Approval }) {
  const rows: [string, string][] = [
    ...askedRows(approval),
    ["cost centre", approval.is_staged ? approval.budget_line : ""],
    ["asked as", [approval.because, approval.instead_of ? `instead of ${approval.instead_of}` : ""].filter(Boolean).join(", ")],
    ["question", approval.question],
  ];
  return <FactRows rows={rows} className="mt-1 text-[13px]" />;
}
