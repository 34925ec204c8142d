import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { when } from "../../parts/time";
import { Button, Empty, ErrorNote, inputClass, Loading } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { NewProblem } from "../problems/NewProblem";
import { seldom } from "./words";

type Pattern = components["schemas"]["PatternShape"];

interface OpenProblem {
  id: number;
  title: string;
}

/** What comes more often of late than it used to: how often, how likely by chance, in which words. */
export function PatternsList({ isForProblems = false, open = [] }: { isForProblems?: boolean; open?: OpenProblem[] }) {
  const { data, error } = useQuery({ queryKey: ["patterns"], queryFn: () => ok(api.GET("/api/patterns")), staleTime: 60_000 });
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <Loading what="the patterns" />;
  return (
    <section aria-label="Patterns">
      {isForProblems ? <h2 className="mb-1 font-bold">Patterns waiting for a decision</h2> : null}
      <p className="mb-2 text-ink-2">
        Incidents of the last 14 days against the 12 weeks before, of {data.examined.toLocaleString("en-GB")} items and categories. By
        chance alone about {data.by_chance} of them would stand here.
        {data.dismissed > 0 ? ` ${data.dismissed} more: somebody has said that they are none.` : ""}
      </p>
      {data.patterns.length === 0 ? <Empty title="Nothing stands out">No item and no category has more incidents than usual.</Empty> : null}
      <ul className="rounded-card border border-line bg-sheet">
        {data.patterns.map((one) => (
          <PatternRow key={one.key} pattern={one} now={data.now_s} open={open} />
        ))}
      </ul>
    </section>
  );
}

function PatternRow({ pattern, now, open }: { pattern: Pattern; now: number; open: OpenProblem[] }) {
  const [isOpen, setOpen] = useState(false);
  const most = Math.max(1, ...pattern.weeks);
  return (
    <li className="border-b border-line px-3.5 py-2.5 last:border-0">
      <div className="flex flex-wrap items-start gap-x-5 gap-y-2">
        <span className="flex h-[44px] w-[180px] items-end gap-[3px]" aria-hidden="true">
          {pattern.weeks.map((count, index) => (
            <span
              key={index}
              title={`${count} in that week`}
              className={`w-[10px] rounded-t-[2px] ${index >= pattern.weeks.length - 2 ? "bg-sea" : "bg-sea-2"}`}
              style={{ height: 1 + (count / most) * 42 }}
            />
          ))}
        </span>
        <div className="min-w-[260px] flex-1">
          <p>
            <b>{pattern.name}</b> <span className="text-[13px] text-ink-2">{pattern.of}</span>
          </p>
          <p>
            <b>{pattern.count}</b> in 14 days, usually {pattern.usual}. By chance <b>{seldom(pattern.once_in)}</b>: once in{" "}
            {pattern.once_in.toLocaleString("en-GB")} fortnights.
          </p>
          <p className="mt-1 flex flex-wrap gap-1.5">
            {pattern.words.map((one) => (
              <span key={one.word} className="rounded border border-line bg-paper px-1.5 text-[13px]">
                <b>{one.word}</b> {one.count}
              </span>
            ))}
          </p>
        </div>
        <span className="flex flex-col items-end gap-1 text-[14px]">
          <OpenProblemOf pattern={pattern} open={open} />
          <button type="button" aria-expanded={isOpen} className="underline" onClick={() => setOpen(!isOpen)}>
            read the {pattern.count}
          </button>
          <NoPattern pattern={pattern} />
        </span>
      </div>
      {isOpen ? (
        <ul className="mt-2">
          {pattern.incidents.map((one) => (
            <li key={one.id}>
              <Link to={`/desk/tickets/${one.id}`} className="hover:underline">
                <span className="font-mono text-[13px]">{one.id}</span> {one.title}
              </Link>{" "}
              <span className="text-[13px] text-ink-2">{when(one.opened_s, now)}</span>
            </li>
          ))}
        </ul>
      ) : null}
    </li>
  );
}

/** A problem of the incidents of a pattern, or these linked to one that is open. */
function OpenProblemOf({ pattern, open }: { pattern: Pattern; open: OpenProblem[] }) {
  const { me } = useSession();
  const queries = useQueryClient();
  const [isOpening, setOpening] = useState(false);
  const left = pattern.incidents.filter((one) => one.problem === null).map((one) => one.id);
  const linked = (number: number) => pattern.incidents.filter((incident) => incident.problem === number).length;
  const belongs = [...open].sort((a, b) => linked(b.id) - linked(a.id)).find((one) => linked(one.id) > 0);
  if (!me?.is_on_desk) return null;
  if (left.length === 0 && belongs)
    return (
      <Link className="underline" to={`/desk/tickets/${belongs.id}`}>
        all in problem {belongs.id}
      </Link>
    );
  const link = async (number: number) => {
    try {
      await ok(
        api.POST("/api/problems/{number}/incidents", { params: { path: { number } }, body: { add: left, remove: [], tells: false } }),
      );
      toast(`${left.length} linked to problem ${number}.`);
      for (const key of ["problems", "patterns", "ticket"]) void queries.invalidateQueries({ queryKey: [key] });
    } catch (error) {
      toast.error(sentence(error));
    }
  };
  return (
    <>
      <Button tone={belongs ? "plain" : "sea"} onClick={() => setOpening(true)}>
        Open a problem…
      </Button>
      {belongs ? (
        <button type="button" className="underline" onClick={() => void link(belongs.id)}>
          link {left.length} to {belongs.id}
        </button>
      ) : null}
      {!belongs && open.length > 0 ? (
        <select
          aria-label={`${pattern.name} belongs to`}
          className="max-w-[190px] rounded-small border border-line-2 bg-sheet px-1 py-0.5 text-[13px]"
          value=""
          onChange={(event) => void link(+event.target.value)}
        >
          <option value="">belongs to problem…</option>
          {open.map((one) => (
            <option key={one.id} value={one.id}>
              {one.id} {one.title}
            </option>
          ))}
        </select>
      ) : null}
      {isOpening ? (
        <NewProblem
          incidents={left}
          pattern={pattern.name}
          title={`${pattern.name}: ${pattern.words.map((one) => one.word).join(", ")}`}
          onClose={() => setOpening(false)}
        />
      ) : null}
    </>
  );
}

function NoPattern({ pattern }: { pattern: Pattern }) {
  const queries = useQueryClient();
  const { me } = useSession();
  const [isAsking, setAsking] = useState(false);
  const [why, setWhy] = useState("");
  if (!me?.is_on_desk) return null;
  const say = async () => {
    try {
      const after = await ok(api.POST("/api/patterns", { body: { key: pattern.key, count: pattern.count, why } }));
      queries.setQueryData(["patterns"], after);
      toast(`${pattern.name} is no pattern, until it has grown by half.`);
    } catch (error) {
      toast.error(sentence(error));
    }
  };
  if (!isAsking)
    return (
      <button type="button" className="underline" onClick={() => setAsking(true)}>
        no, because…
      </button>
    );
  return (
    <form
      className="flex gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        void say();
      }}
    >
      <input
        autoFocus
        aria-label={`Why ${pattern.name} is no pattern`}
        placeholder="Why it is none"
        className={`${inputClass} w-[220px]`}
        maxLength={200}
        value={why}
        onChange={(event) => setWhy(event.target.value)}
      />
      <Button type="submit" disabled={!why.trim()}>
        Say so
      </Button>
    </form>
  );
}
