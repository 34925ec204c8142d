import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { span, when } from "../../parts/time";
import { Button, Empty, ErrorNote, inputClass, Loading } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { NewChange } from "./NewChange";
import { Schedule } from "./Schedule";
import { type Line, RATING_FILL } from "./words";

/** What is coming and when, what the CAB decides, what is under way, and what to look back on. */
export function ChangesPage() {
  const { me } = useSession();
  const { data, error } = useQuery({ queryKey: ["changes"], queryFn: () => ok(api.GET("/api/changes")), staleTime: 20_000 });
  const [params, setParams] = useSearchParams();
  const isNew = params.has("new");
  const setNew = (isOn: boolean) =>
    setParams(
      (old) => {
        const next = new URLSearchParams(old);
        if (isOn) next.set("new", "");
        else next.delete("new");
        return next;
      },
      { replace: !isOn },
    );
  const [words, setWords] = useState("");
  if (error)
    return (
      <div className="p-6">
        <ErrorNote>{sentence(error)}</ErrorNote>
      </div>
    );
  if (!data) return <Loading what="the changes" />;
  const now = data.now_s;
  const folded = words.trim().toLowerCase();
  const says = (one: Line) =>
    folded === "" || `${one.id} ${one.title} ${one.service} ${one.holder} ${one.team} ${one.state}`.toLowerCase().includes(folded);
  const due = data.reviews.filter((one) => (one.review_s ?? 0) <= now);
  return (
    <div className="mx-auto max-w-[1480px] px-5 pb-12 pt-3 max-[600px]:px-3">
      <div className="mb-3 flex flex-wrap items-center gap-2">
        <h1 className="text-[22px] font-bold">Changes</h1>
        <input
          aria-label="Words in a change"
          placeholder="Words in a change"
          className={`${inputClass} ml-auto !w-[240px]`}
          value={words}
          onChange={(event) => setWords(event.target.value)}
        />
        {me?.is_on_desk ? (
          <Button tone="sea" onClick={() => setNew(true)}>
            New change…
          </Button>
        ) : null}
      </div>
      <Schedule now={now} words={words} onWords={setWords} />
      <div className="mt-4 grid grid-cols-3 items-start gap-4 max-[1000px]:grid-cols-1">
        <Card
          title="To the CAB"
          note={
            data.cab_s
              ? `${when(data.cab_s, now)}${data.cab_cutoff_s && data.cab_cutoff_s > now ? `, cut-off ${when(data.cab_cutoff_s, now)}` : ""}`
              : "no meeting is set"
          }
          rows={data.cab.filter(says)}
          nothing="Nothing is to be decided."
          more={
            data.cab_s ? (
              <Link to="/desk/changes/cab" className="font-semibold underline">
                Agenda and minutes
              </Link>
            ) : null
          }
          of={(one) => (one.waits_on ? `with ${one.waits_on}` : one.state)}
        />
        <Card
          title="Under way and to look back on"
          note={due.length > 0 ? `${due.length} due` : ""}
          rows={[...data.under_way, ...data.reviews].filter(says)}
          nothing="Nothing is under way."
          of={(one) =>
            one.state === "under way"
              ? `since ${one.began_s ? when(one.began_s, now) : "now"}`
              : `${(one.review_s ?? 0) <= now ? "due" : `from ${when(one.review_s ?? now, now)}`}${one.incidents > 0 ? ` · ${one.incidents} incidents since` : ""}`
          }
        />
        <Card
          title="Drafts"
          note="not submitted yet"
          rows={data.drafts.filter(says)}
          nothing="No draft."
          of={(one) => one.holder || one.team}
        />
      </div>
      <Coming rows={data.coming.filter(says)} now={now} ended={data.ended} />
      {isNew ? <NewChange template={params.get("new") ?? ""} onClose={() => setNew(false)} /> : null}
    </div>
  );
}

interface CardProps {
  title: string;
  note: string;
  rows: Line[];
  nothing: string;
  more?: React.ReactNode;
  of: (one: Line) => string;
}

function Card({ title, note, rows, nothing, more, of }: CardProps) {
  return (
    <section aria-label={title} className="rounded-card border border-line bg-sheet px-3.5 py-2.5">
      <h2 className="font-bold">
        {title} <span className="text-[13px] font-normal text-ink-2">{note}</span>
      </h2>
      {rows.length === 0 ? <p className="text-ink-2">{nothing}</p> : null}
      <ul className="max-h-[260px] overflow-y-auto">
        {rows.map((one) => (
          <li key={one.id} className="border-b border-line py-1 last:border-0">
            <span className="flex items-baseline gap-2">
              <Link to={`/desk/tickets/${one.id}`} className="min-w-0 flex-1 truncate hover:underline" title={one.title}>
                <span className="font-mono text-[13px]">{one.id}</span> {one.title}
              </Link>
              <Rating one={one} />
            </span>
            <span className="block truncate text-[13px] text-ink-2" title={of(one)}>
              {of(one)}
            </span>
          </li>
        ))}
      </ul>
      {more ? <p className="mt-1">{more}</p> : null}
    </section>
  );
}

function Rating({ one }: { one: Line }) {
  if (one.points === null || !one.rating) return null;
  return (
    <span className="inline-flex shrink-0 items-center gap-1 text-[13px]" title={`risk ${one.points}, ${one.rating}`}>
      <span className={`h-[10px] w-[10px] rounded-[2px] ${RATING_FILL[one.rating] ?? ""}`} aria-hidden="true" />
      <b>{one.points}</b> <span className="text-ink-2">{one.rating}</span>
    </span>
  );
}

const FIRST = 60;

function Coming({ rows, now, ended }: { rows: Line[]; now: number; ended: number }) {
  const [isWhole, setWhole] = useState(false);
  const shown = isWhole ? rows : rows.slice(0, FIRST);
  return (
    <section aria-label="Coming" className="mt-4 rounded-card border border-line bg-sheet">
      <h2 className="border-b border-line px-3.5 py-2 font-bold">
        Coming <span className="text-[13px] font-normal text-ink-2">what begins soonest first</span>
      </h2>
      {rows.length === 0 ? (
        <Empty title="Nothing is planned">Open a change to plan it.</Empty>
      ) : (
        <ul>
          {shown.map((one) => (
            <li
              key={one.id}
              className="grid grid-cols-[170px_minmax(200px,2.4fr)_minmax(100px,1fr)_minmax(120px,1fr)_minmax(120px,1fr)] items-baseline gap-x-4 gap-y-0.5 border-b border-line px-3.5 py-1.5 last:border-0 max-[1000px]:grid-cols-[150px_minmax(0,1fr)] max-[600px]:grid-cols-1"
            >
              <span className="tabular-nums">
                {one.starts_s ? when(one.starts_s, now) : "not planned"}
                {one.starts_s && one.ends_s ? <span className="text-[13px] text-ink-2"> {span(one.ends_s - one.starts_s)}</span> : null}
              </span>
              <Link to={`/desk/tickets/${one.id}`} className="min-w-0 hover:underline">
                <span className="font-mono text-[13px]">{one.id}</span> {one.title}
              </Link>
              <span className="text-ink-2">{one.service}</span>
              <span>
                <Rating one={one} /> <span className="text-[13px] text-ink-2">{one.type.toLowerCase()}</span>
              </span>
              <span className="text-[13px] text-ink-2">
                {one.state}
                {one.waits_on ? `: ${one.waits_on}` : one.holder ? `, ${one.holder}` : ""}
              </span>
            </li>
          ))}
        </ul>
      )}
      {shown.length < rows.length ? (
        <p className="border-t border-line px-3.5 py-1.5">
          <button type="button" className="min-h-[24px] underline" onClick={() => setWhole(true)}>
            Show the {rows.length - shown.length} that begin later
          </button>
        </p>
      ) : null}
      <p className="border-t border-line px-3.5 py-1.5 text-[13px] text-ink-2">
        {ended} ended.{" "}
        <Link
          className="underline"
          to={`/desk/queue?filter=${encodeURIComponent(JSON.stringify({ field: "kind", op: "is", value: "change" }))}`}
        >
          All changes in the Queue
        </Link>
      </p>
    </section>
  );
}
