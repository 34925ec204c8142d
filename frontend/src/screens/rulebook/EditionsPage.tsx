import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { useNow } from "../../parts/hooks";
import { when } from "../../parts/time";
import { Button, Dialog, ErrorNote } from "../../parts/ui";
import { NEEDLE, type Overview, useBook, useOverview, useReadAgain } from "./data";
import { Part, smallInput } from "./parts";
import { DifferenceList } from "./ReviewPages";

/** Every edition there was: compare, go back, re-apply, take out and bring in as a file. */
export function EditionsPage() {
  const { data } = useOverview();
  const now = useNow();
  if (!data) return null;
  return (
    <>
      <ul>
        {data.editions.map((one) => (
          <EditionLine key={one.number} one={one} inForce={data.in_force} now={now} />
        ))}
      </ul>
      <Compare overview={data} />
      <ReApply overview={data} />
      <Files />
    </>
  );
}

function EditionLine({ one, inForce, now }: { one: Overview["editions"][number]; inForce: number; now: number }) {
  const readAgain = useReadAgain();
  const [isAsking, setAsking] = useState(false);
  const restore = useMutation({
    mutationFn: () =>
      ok(api.POST("/api/rulebook/editions/{number}/restore", { params: { path: { number: one.number } }, body: { comment: "" } })),
    onSuccess: (overview) => {
      readAgain();
      setAsking(false);
      toast(`Edition ${overview.in_force} says again what edition ${one.number} said.`);
    },
    onError: (error) => toast.error(sentence(error)),
  });
  const differences = useQuery({
    queryKey: [...NEEDLE, "differences", inForce, one.number],
    queryFn: () => ok(api.GET("/api/rulebook/differences", { params: { query: { before: String(inForce), after: String(one.number) } } })),
    enabled: isAsking,
  });
  return (
    <li className="flex flex-wrap items-baseline gap-2 border-b border-line py-2">
      <b className="w-24">Edition {one.number}</b>
      <span className="min-w-0 flex-1">
        {one.comment}{" "}
        <span className="text-ink-2">
          – {one.by}, {when(one.published_at_s, now)}
          {one.starts_at_s > now ? `, starts ${when(one.starts_at_s, now)}` : ""}
          {one.open_tickets ? ` · ${one.open_tickets} open tickets run under it` : ""}
        </span>
      </span>
      {one.number === inForce ? (
        <span className="rounded bg-sea px-2 text-on-sea">in force</span>
      ) : one.starts_at_s > now ? (
        <Withdraw number={one.number} />
      ) : (
        <Button onClick={() => setAsking(true)}>Go back to it…</Button>
      )}
      <Dialog
        title={`Go back to edition ${one.number}`}
        about="It becomes a new edition with the same words; nothing that happened is rewritten. A draft stays as it is."
        isOpen={isAsking}
        onClose={() => setAsking(false)}
        isWide
      >
        <div className="max-h-[40vh] overflow-y-auto rounded-small border border-line px-3 py-1">
          {differences.data ? <DifferenceList differences={differences.data} /> : "Reading the differences…"}
        </div>
        <div className="mt-3 flex justify-end gap-2">
          <Button onClick={() => setAsking(false)}>Stay</Button>
          <Button tone="sea" disabled={restore.isPending} onClick={() => restore.mutate()}>
            Go back to it
          </Button>
        </div>
      </Dialog>
    </li>
  );
}

/** A planned edition can be taken back until it starts. */
function Withdraw({ number }: { number: number }) {
  const readAgain = useReadAgain();
  const withdraw = useMutation({
    mutationFn: () => ok(api.DELETE("/api/rulebook/editions/{number}", { params: { path: { number } } })),
    onSuccess: () => {
      readAgain();
      toast(`Edition ${number} is withdrawn.`);
    },
    onError: (error) => toast.error(sentence(error)),
  });
  return (
    <span className="flex items-center gap-2">
      <span className="rounded border border-dashed border-line-2 px-2">planned</span>
      <Button disabled={withdraw.isPending} onClick={() => withdraw.mutate()}>
        Withdraw
      </Button>
    </span>
  );
}

function Compare({ overview }: { overview: Overview }) {
  const names = [...overview.editions.map((one) => String(one.number)), ...(overview.draft ? ["draft"] : [])];
  const [before, setBefore] = useState(names[1] ?? names[0] ?? "");
  const [after, setAfter] = useState(names[0] ?? "");
  const { data } = useQuery({
    queryKey: [...NEEDLE, "differences", before, after],
    queryFn: () => ok(api.GET("/api/rulebook/differences", { params: { query: { before, after } } })),
    enabled: before !== "" && before !== after,
  });
  const select = (label: string, value: string, set: (value: string) => void) => (
    <select aria-label={label} className={smallInput} value={value} onChange={(event) => set(event.target.value)}>
      {names.map((name) => (
        <option key={name} value={name}>
          {name === "draft" ? "the draft" : `edition ${name}`}
        </option>
      ))}
    </select>
  );
  return (
    <Part title="Side by side">
      <p className="mb-1">
        From {select("Before", before, setBefore)} to {select("After", after, setAfter)}
      </p>
      {before === after ? <p className="text-ink-2">Choose two that differ.</p> : data ? <DifferenceList differences={data} /> : null}
    </Part>
  );
}

interface Preview {
  tickets: number;
  moved: number;
  earlier: number;
  later: number;
  moves: {
    number: number;
    title: string;
    before: { agreement: string; due: number | null };
    after: { agreement: string; due: number | null };
  }[];
}

function ReApply({ overview }: { overview: Overview }) {
  const now = useNow();
  const readAgain = useReadAgain();
  const [shown, setShown] = useState<number | null>(null);
  const elsewhere = overview.editions.filter((one) => one.number !== overview.in_force).reduce((sum, one) => sum + one.open_tickets, 0);
  const start = useMutation({
    mutationFn: (kind: "preview" | "re-apply") => ok(api.POST("/api/rulebook/jobs", { body: { kind, days: 90 } })),
    onSuccess: (job) => setShown(job.id),
    onError: (error) => toast.error(sentence(error)),
  });
  const { data } = useQuery({
    queryKey: [...NEEDLE, "job", shown],
    queryFn: async () => {
      const job = await ok(api.GET("/api/rulebook/jobs/{number}", { params: { path: { number: shown ?? 0 } } }));
      if (job.kind === "re-apply" && job.state === "done") readAgain();
      return job;
    },
    enabled: shown !== null,
    refetchInterval: (query) => (["running", "waiting"].includes(query.state.data?.state ?? "waiting") ? 600 : false),
  });
  const preview = data?.kind === "preview" ? (data.result as Preview | null) : null;
  return (
    <Part title="Open tickets">
      {elsewhere === 0 ? <p className="text-ink-2">Every open ticket runs under the edition in force.</p> : null}
      {elsewhere > 0 ? (
        <p>
          {elsewhere} open tickets keep the targets of an earlier edition.{" "}
          <Button disabled={start.isPending} onClick={() => start.mutate("preview")}>
            See what re-applying would move
          </Button>
        </p>
      ) : null}
      {data && (data.state === "running" || data.state === "waiting") ? (
        <progress className="mt-2 w-72" max={data.total || 1} value={data.done} aria-label={data.kind} />
      ) : null}
      {data?.state === "failed" ? <ErrorNote>{data.problem}</ErrorNote> : null}
      {data?.kind === "re-apply" && data.state === "done" ? (
        <p className="mt-2 font-bold">
          Edition {overview.in_force} now holds for {(data.result as { tickets: number }).tickets} more open tickets.
        </p>
      ) : null}
      {preview && data?.state === "done" ? (
        <div className="mt-2">
          <p>
            Of {preview.tickets} tickets <b>{preview.moved}</b> would move: {preview.earlier} due earlier, {preview.later} later.{" "}
            <Button tone="sea" onClick={() => start.mutate("re-apply")}>
              Re-apply edition {overview.in_force} to them
            </Button>
          </p>
          <ul className="mt-1 max-h-80 overflow-y-auto">
            {preview.moves.slice(0, 200).map((move) => (
              <li key={move.number} className="border-b border-line py-1">
                <Link className="hover:underline" to={`/desk/tickets/${move.number}`}>
                  <span className="font-mono">{move.number}</span> {move.title}
                </Link>
                <span className="text-ink-2">
                  {" "}
                  {move.before.due ? when(move.before.due, now) : "no target"} →{" "}
                  <b className="text-ink">{move.after.due ? when(move.after.due, now) : "no target"}</b>
                  {move.before.agreement === move.after.agreement ? "" : ` (${move.before.agreement} → ${move.after.agreement})`}
                </span>
              </li>
            ))}
          </ul>
        </div>
      ) : null}
    </Part>
  );
}

function Files() {
  const { which } = useBook();
  const readAgain = useReadAgain();
  const bring = useMutation({
    mutationFn: (text: string) => ok(api.POST("/api/rulebook/draft/import", { body: { text } })),
    onSuccess: () => {
      readAgain();
      toast("The draft is what the file says. One Undo takes it back.");
    },
  });
  return (
    <Part title="As a file">
      <p className="flex flex-wrap items-center gap-3">
        <a className="why" href={`/api/rulebook/export/${which}?as=yaml`} download>
          download it as YAML
        </a>
        <a className="why" href={`/api/rulebook/export/${which}?as=json`} download>
          as JSON
        </a>
        <a className="why" href="/api/rulebook/schema" download="rulebook.schema.json">
          its JSON Schema
        </a>
        <label className="why cursor-pointer">
          bring a file into the draft
          <input
            type="file"
            accept=".yaml,.yml,.json"
            className="sr-only"
            onChange={(event) => {
              const file = event.target.files?.[0];
              event.target.value = "";
              void file?.text().then((text) => bring.mutate(text));
            }}
          />
        </label>
      </p>
      {bring.error ? (
        <div className="mt-2">
          <ErrorNote>{sentence(bring.error)}</ErrorNote>
        </div>
      ) : null}
    </Part>
  );
}
