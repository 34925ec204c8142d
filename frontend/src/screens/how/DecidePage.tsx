import { askedRows, FactRows } from "../../parts/ApprovalFacts";
import { approvalWord } from "../../parts/approvalWords";
import { money } from "../../parts/money";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { Button, ErrorNote, inputClass, Loading } from "../../parts/ui";
import { useMailKey } from "./mailKey";

/** Deciding from the link of a mail; opening it decides nothing. */
export function DecidePage() {
  const { key } = useMailKey(useParams().token ?? "");
  const queries = useQueryClient();
  const withKey = { params: { header: { "Gannet-Key": key } } };
  const { data, error } = useQuery({ queryKey: ["decide", key], queryFn: () => ok(api.GET("/api/decide", withKey)), retry: false });
  const [reason, setReason] = useState("");
  const [problem, setProblem] = useState("");
  const decide = async (approves: boolean) => {
    setProblem("");
    try {
      queries.setQueryData(["decide", key], await ok(api.POST("/api/decide", { ...withKey, body: { approves, reason } })));
    } catch (failed) {
      setProblem(sentence(failed));
    }
  };
  if (error)
    return (
      <main className="mx-auto max-w-[560px] p-6">
        <ErrorNote>{sentence(error)}</ErrorNote>
        <a href="/approvals" className="mt-3 inline-block underline">
          Sign in to answer
        </a>
      </main>
    );
  if (!data) return <Loading what="what is asked" />;
  const rows: [string, string][] = [
    ["asked by", data.requester],
    ["for", data.for_whom],
    [
      "cost",
      [data.cost_pence ? `${money(data.cost_pence)}` : "", data.monthly_pence ? `${money(data.monthly_pence)} a month` : ""]
        .filter(Boolean)
        .join(" + "),
    ],
    ...askedRows(data),
  ];
  return (
    <main className="mx-auto max-w-[560px] px-5 py-10 text-[16px]">
      <p className="text-ink-2">
        Hello {data.person.split(" ")[0]}, you are asked to approve request {data.ticket}.
      </p>
      <h1 className="mb-4 text-[24px] font-bold">{data.what}</h1>
      <FactRows rows={rows} className="rounded-card border border-line bg-sheet px-4 py-3" />
      {data.state === "pending" && !data.by_link ? (
        <div className="mt-5">
          <p className="mb-3">This needs you to sign in; the link in the mail is not enough.</p>
          <a href="/approvals" className="inline-flex h-[42px] items-center rounded-small bg-sea px-5 font-semibold text-on-sea">
            Sign in to answer
          </a>
        </div>
      ) : data.state === "pending" ? (
        <div className="mt-5 flex flex-col gap-3">
          <label className="flex flex-col gap-1 font-semibold text-ink-2">
            A comment, or why not: needed to reject
            <input
              className={`${inputClass} font-normal`}
              maxLength={500}
              value={reason}
              onChange={(event) => setReason(event.target.value)}
            />
          </label>
          <div className="flex gap-2">
            <Button tone="sea" className="h-[42px] px-5" onClick={() => void decide(true)}>
              Approve
            </Button>
            <Button className="h-[42px]" disabled={!reason.trim()} onClick={() => void decide(false)}>
              Reject
            </Button>
          </div>
        </div>
      ) : (
        <p role="status" className="mt-5 text-[18px] font-bold">
          This is {approvalWord(data.state)}.
        </p>
      )}
      {problem ? <ErrorNote>{problem}</ErrorNote> : null}
    </main>
  );
}
