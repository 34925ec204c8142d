import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { when } from "../../parts/time";
import { Button, Empty, ErrorNote, inputClass, Loading } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { seldom } from "./words";

type Pattern = components["schemas"]["PatternShape"];

/** What comes more often of late than it used to: how often, how likely by chance, in which words. */
export function PatternsList() {
  const { data, error } = useQuery({ queryKey: ["patterns"], queryFn: () => ok(api.GET("/api/patterns")), staleTime: 60_000 });
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <Loading what="the patterns" />;
  return (
    <section aria-label="Patterns">
      <p className="mb-2 text-ink-2">
        Incidents of the last 14 days against the 12 weeks before, of {data.examined.toLocaleString("en-GB")} items and categories. By
        chance alone about {data.by_chance} of them would stand here.
        {data.dismissed > 0 ? ` ${data.dismissed} more: somebody has said that they are none.` : ""}
      </p>
      {data.patterns.length === 0 ? <Empty title="Nothing stands out">No item and no category has more incidents than usual.</Empty> : null}
      <ul className="rounded-card border border-line bg-sheet">
        {data.patterns.map((one) => (
          <PatternRow key={one.key} pattern={one} now={data.now_s} />
        ))}
      </ul>
    </section>
  );
}

function PatternRow({ pattern, now }: { pattern: Pattern; now: number }) {
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
