import { asText } from "../text";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { toast } from "sonner";
import { api, type ManyJob, type ManyPreview, ok, Problem, sentence } from "../../api/client";
import { tellTouched } from "../../shell/live";
import { exact, instantOfLocal } from "../time";
import { Button, Dialog, ErrorNote } from "../ui";
import { MassFields, startOf } from "./MassFields";

/** An act that can be done to many, as the server lists it. */
export type MassAct = string;
export type Params = Record<string, unknown>;

const TITLES: Record<string, string> = {
  take: "Take",
  "hand-over": "Hand over",
  change: "Change fields of",
  wait: "Set waiting",
  resume: "Resume",
  resolve: "Resolve",
  reply: "Reply to the requesters of",
  note: "Leave a note on",
  follow: "Follow",
};
const NEEDS_NOTHING = new Set(["take", "resume", "follow"]);

interface MassDialogProps {
  act: MassAct;
  ids: number[];
  filter: string | null;
  onClose: () => void;
  onDone: () => void;
}

/** One act on many tickets: what it needs, what it would do and where it is refused, then the act. */
export function MassDialog({ act, ids, filter, onClose, onDone }: MassDialogProps) {
  const [params, setParams] = useState<Params>(() => startOf(act));
  const [preview, setPreview] = useState<ManyPreview | null>(null);
  const [job, setJob] = useState<ManyJob | null>(null);
  const [error, setError] = useState<Problem | null>(null);
  const [isBusy, setBusy] = useState(false);
  const queries = useQueryClient();
  const body = (numbers: number[] | null) => ({
    ids: numbers ?? ids,
    filter: numbers === null && filter !== null ? (JSON.parse(filter) as never) : null,
    act,
    params: sent(act, params) as never,
  });
  const look = async () => {
    setBusy(true);
    setError(null);
    try {
      setPreview(await ok(api.POST("/api/tickets/many/preview", { body: body(null) })));
    } catch (problem) {
      setError(problem instanceof Problem ? problem : new Problem(0, "error", sentence(problem)));
    }
    setBusy(false);
  };
  useEffect(() => {
    if (NEEDS_NOTHING.has(act)) void look();
    // Once, when the dialog opens.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, []);
  const go = async () => {
    if (!preview) return;
    setBusy(true);
    setError(null);
    try {
      setJob(await ok(api.POST("/api/tickets/many", { body: body(preview.will.map((row) => row.id)) })));
    } catch (problem) {
      setError(problem instanceof Problem ? problem : new Problem(0, "error", sentence(problem)));
    }
    setBusy(false);
  };
  const running = useQuery({
    queryKey: ["many", job?.id],
    queryFn: () => ok(api.GET("/api/tickets/many/{number}", { params: { path: { number: job?.id ?? 0 } } })),
    enabled: job !== null && (job.state === "waiting" || job.state === "running"),
    refetchInterval: (query) => (query.state.data && !["waiting", "running"].includes(query.state.data.state) ? false : 500),
  });
  const now = running.data ?? job;
  const isOver = now !== null && !["waiting", "running"].includes(now.state);
  useEffect(() => {
    if (!now || !isOver) return;
    tellTouched(now.changed);
    for (const key of ["lookout", "figures", "groups", "ticket"]) void queries.invalidateQueries({ queryKey: [key] });
    if (now.state === "failed") {
      toast.error(now.problem || "It stopped half way. What was done stays done.");
      return;
    }
    const refused = now.refused.length > 0 ? `; ${now.refused.length} refused: ${now.refused[0]?.why ?? ""}` : "";
    toast(`Done to ${now.changed.length}${refused}`, {
      duration: 30_000,
      ...(now.undo_until_s ? { action: { label: "Undo", onClick: () => void takeBack(now.id) } } : {}),
    });
    onDone();
    // Told once, when it is over.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [isOver]);

  const count = filter === null ? ids.length : preview ? preview.will.length + preview.refused.length : 0;
  return (
    <Dialog isWide title={`${TITLES[act]} ${count > 0 ? count : "all that fit"}`} isOpen onClose={onClose}>
      {now && !isOver ? (
        <Progress job={now} />
      ) : preview ? (
        <Preview preview={preview} />
      ) : NEEDS_NOTHING.has(act) ? (
        <p role="status">{error ? "" : "Looking at each of them…"}</p>
      ) : (
        <form
          id="mass"
          className="flex flex-col gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            void look();
          }}
        >
          <MassFields act={act} params={params} fields={error?.fields ?? {}} onChange={(change) => setParams({ ...params, ...change })} />
        </form>
      )}
      {error ? <ErrorNote>{error.message}</ErrorNote> : null}
      <div className="mt-4 flex justify-end gap-2">
        {preview && !now && !NEEDS_NOTHING.has(act) ? <Button onClick={() => setPreview(null)}>Back</Button> : null}
        <Button onClick={onClose}>{now ? "Leave it running" : "Cancel"}</Button>
        {!preview && !NEEDS_NOTHING.has(act) ? (
          <Button type="submit" form="mass" tone="sea" disabled={isBusy}>
            {isBusy ? "Looking…" : "See what happens"}
          </Button>
        ) : null}
        {preview && !now ? (
          <Button autoFocus tone="sea" disabled={isBusy || preview.will.length === 0} onClick={() => void go()}>
            {isBusy ? "Working…" : `${TITLES[act]} ${preview.will.length} ${preview.will.length === 1 ? "ticket" : "tickets"}`}
          </Button>
        ) : null}
      </div>
    </Dialog>
  );
}

async function takeBack(number: number): Promise<void> {
  try {
    let job = await ok(api.DELETE("/api/tickets/many/{number}", { params: { path: { number } } }));
    while (job.state === "waiting" || job.state === "running") {
      await new Promise((resolve) => setTimeout(resolve, 500));
      job = await ok(api.GET("/api/tickets/many/{number}", { params: { path: { number: job.id } } }));
    }
    tellTouched(job.changed);
    const refused = job.refused.length > 0 ? `; ${job.refused.length} not: ${job.refused[0]?.why ?? ""}` : ".";
    toast(`Taken back: ${job.changed.length}${refused}`, { duration: 12_000 });
  } catch (error) {
    toast.error(sentence(error));
  }
}

/** The parameters as the server wants them. */
function sent(act: MassAct, params: Params): Params {
  if (act === "wait")
    return {
      ...params,
      until:
        params.on === "date" && params.until
          ? new Date(instantOfLocal(asText(params.until)) * 1000).toISOString().replace(".000", "")
          : null,
      supplier: params.on === "supplier" ? params.supplier : "",
    };
  if (act === "hand-over") return { ...params, team: +(params.team ?? 0), person: params.person ? +params.person : null };
  return params;
}

function Progress({ job }: { job: ManyJob }) {
  return (
    <div role="status">
      <p>
        {job.done.toLocaleString("en-GB")} of {job.total.toLocaleString("en-GB")} done. It goes on if you leave this.
      </p>
      <progress className="mt-2 w-full" value={job.done} max={Math.max(1, job.total)} aria-label="How much is done" />
    </div>
  );
}

const MOST_LISTED = 200;

function Preview({ preview }: { preview: ManyPreview }) {
  return (
    <div className="max-h-[52vh] overflow-y-auto">
      {preview.refused.length > 0 ? (
        <section className="mb-3">
          <h3 className="font-bold text-rust">{preview.refused.length} will be left as they are</h3>
          <ul>
            {preview.refused.slice(0, MOST_LISTED).map((row) => (
              <li key={row.id} className="border-b border-line py-1">
                <span className="font-mono text-[13px]">{row.id}</span> {row.title} <span className="text-ink-2">– {row.why}</span>
              </li>
            ))}
          </ul>
        </section>
      ) : null}
      {preview.unknown > 0 ? <p className="mb-2">{preview.unknown} are not there any more.</p> : null}
      <h3 className="font-bold">{preview.will.length === 0 ? "Nothing would change" : `${preview.will.length} will change`}</h3>
      <ul>
        {preview.will.slice(0, MOST_LISTED).map((row) => (
          <li key={row.id} className="border-b border-line py-1">
            <span className="font-mono text-[13px]">{row.id}</span> {row.title}
            <span className="block pl-4 text-[13px] text-ink-2">
              {row.changes
                .map((change) => `${change.field}: ${said(change.field, change.before)} → ${said(change.field, change.after)}`)
                .join(" · ") || "kept in its history"}
            </span>
          </li>
        ))}
      </ul>
      {preview.will.length > MOST_LISTED ? (
        <p className="py-2 text-ink-2">and {preview.will.length - MOST_LISTED} more in the same way</p>
      ) : null}
    </div>
  );
}

function said(field: string, value: unknown): string {
  if (value === null || value === undefined || value === "") return "nothing";
  return field === "due" && typeof value === "number" ? exact(value) : asText(value);
}
