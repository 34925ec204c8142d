import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { exact, span, when } from "../../parts/time";
import { Button, Empty, ErrorNote, Loading } from "../../parts/ui";
import { useTitle } from "../../shell/PageFocus";
import { CabItem } from "./CabItem";
import { Attendance, Notes } from "./CabAside";

export type Meeting = components["schemas"]["CabMeetingShape"];

/** The page that a meeting of the change advisory board is run from. */
export function CabPage() {
  const queries = useQueryClient();
  const [params] = useSearchParams();
  const at = Number(params.get("at")) || undefined;
  const key = ["cab", at ?? 0];
  const { data, error } = useQuery({
    queryKey: key,
    queryFn: () => ok(api.GET("/api/changes/cab", { params: { query: at ? { at } : {} } })),
    staleTime: 10_000,
  });
  const [isBusy, setBusy] = useState(false);
  useTitle("CAB");
  if (error)
    return (
      <div className="p-6">
        <ErrorNote>{sentence(error)}</ErrorNote>
      </div>
    );
  if (!data) return <Loading what="the meeting" />;
  const now = data.now_s;
  const run = async (work: Promise<Meeting>, said: string) => {
    setBusy(true);
    try {
      queries.setQueryData(key, await work);
      for (const other of ["changes", "schedule", "ticket", "lookout"]) void queries.invalidateQueries({ queryKey: [other] });
      if (said) toast(said);
      return true;
    } catch (problem) {
      toast.error(sentence(problem));
      void queries.invalidateQueries({ queryKey: ["cab"] });
      return false;
    } finally {
      setBusy(false);
    }
  };
  const body = { at_s: data.at_s };
  const open = data.agenda.filter((one) => one.verdict === null).length;
  const hasBegun = data.at_s <= now;
  const isNothingToSend = !hasBegun || (data.agenda.length === open && data.notes.trim() === "");
  return (
    <div className="mx-auto max-w-[1280px] px-5 pb-12 pt-3 max-[600px]:px-3">
      <p className="text-[13px] text-ink-2">
        <Link to="/desk/changes" className="underline">
          Changes
        </Link>
      </p>
      <div className="mb-2 flex flex-wrap items-center gap-2">
        <h1 className="text-[22px] font-bold">{data.board || "Change advisory board"}</h1>
        <span className="ml-auto flex flex-wrap gap-2">
          {data.can_run && !hasBegun ? (
            <Button
              disabled={isBusy}
              onClick={() => void run(ok(api.POST("/api/changes/cab/invite", { body })), `${data.members.length} people are invited.`)}
            >
              {data.invited_s ? "Invite again" : "Invite"}
            </Button>
          ) : null}
          <a
            className="inline-flex h-[30px] items-center rounded-small border border-line-2 bg-sheet px-2.5 font-semibold hover:bg-sea-3 max-[900px]:h-[38px]"
            href={`/api/changes/cab/minutes?at=${data.at_s}`}
            download
          >
            Minutes as PDF
          </a>
          {data.can_run ? (
            <Button
              tone="sea"
              disabled={isBusy || isNothingToSend}
              title={isNothingToSend ? (hasBegun ? "Nothing is decided, and nothing is noted." : "The meeting has not begun.") : undefined}
              onClick={() => void run(ok(api.POST("/api/changes/cab/minutes", { body })), "The minutes are on their way.")}
            >
              {data.sent_s ? "Send corrected minutes" : "Send the minutes"}
            </Button>
          ) : null}
        </span>
      </div>
      <p className="mb-3">
        <b>{exact(data.at_s)}</b>{" "}
        <span className="text-ink-2">
          {hasBegun ? "" : `in ${span(data.at_s - now)}, `}
          {data.minutes} minutes
          {data.cutoff_s > now ? `; what is submitted by ${when(data.cutoff_s, now)} comes on it` : ""}
          {data.invited_s ? `; ${data.invited.length} invited ${when(data.invited_s, now)}` : ""}
          {data.sent_s ? `; minutes sent ${when(data.sent_s, now)}` : ""}
        </span>
      </p>
      <Others meeting={data} />
      <div className="grid grid-cols-[minmax(0,1fr)_330px] items-start gap-4 max-[1000px]:grid-cols-1">
        <section aria-label="Agenda">
          <h2 className="mb-1.5 font-bold">
            Agenda{" "}
            <span className="text-[13px] font-normal text-ink-2">
              {data.agenda.length === 0
                ? ""
                : open === 0
                  ? "all of it is decided"
                  : `${open} of ${data.agenda.length} undecided, the riskiest first`}
            </span>
          </h2>
          {data.agenda.length === 0 ? (
            <div className="rounded-card border border-line bg-sheet">
              <Empty title="Nothing is on the agenda">Changes whose type and risk ask for the CAB come here when they are submitted.</Empty>
            </div>
          ) : null}
          {data.agenda.map((one) => (
            <CabItem key={one.change.id} item={one} meeting={data} isBusy={isBusy} run={run} />
          ))}
        </section>
        <aside>
          <Attendance meeting={data} isBusy={isBusy} run={run} />
          <Notes meeting={data} isBusy={isBusy} run={run} />
        </aside>
      </div>
    </div>
  );
}

/** Ways to the other meetings: the next one, and those that were held. */
function Others({ meeting }: { meeting: Meeting }) {
  const others = meeting.meetings.filter((one) => one.at_s !== meeting.at_s && one.at_s !== meeting.next_s).slice(0, 6);
  if (others.length === 0 && meeting.at_s === meeting.next_s) return null;
  return (
    <p className="mb-3 flex flex-wrap gap-x-3 text-[13px]">
      {meeting.at_s !== meeting.next_s ? (
        <Link to="/desk/changes/cab" className="underline">
          the next meeting
        </Link>
      ) : null}
      {others.map((one) => (
        <Link key={one.at_s} to={`/desk/changes/cab?at=${one.at_s}`} className="underline">
          {exact(one.at_s)}, {one.decided} decided
        </Link>
      ))}
    </p>
  );
}
