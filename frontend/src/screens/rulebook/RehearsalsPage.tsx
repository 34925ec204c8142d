import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { Button, Empty, ErrorNote, Loading } from "../../parts/ui";
import { NEEDLE, type Rehearsal, useBook, useReadAgain } from "./data";
import { NAMES, OutcomeView, ResultValue } from "./outcome";

/** Saved examples with the outcome they must have; all run before an edition is published. */
export function RehearsalsPage() {
  const { which } = useBook();
  const { data, error } = useQuery({
    queryKey: [...NEEDLE, "rehearsals", which, "page"],
    queryFn: () => ok(api.GET("/api/rulebook/rehearsals", { params: { query: { of: which } } })),
  });
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <Loading what="the rehearsals" />;
  if (data.length === 0)
    return (
      <Empty title="No rehearsals yet">
        <Link className="underline" to="/desk/rulebook/try">
          Try an example
        </Link>{" "}
        and keep what must come out: it is run before every edition is published.
      </Empty>
    );
  return (
    <ul>
      {data.map((one) => (
        <Row key={one.id} one={one} />
      ))}
    </ul>
  );
}

function Row({ one }: { one: Rehearsal }) {
  const [isOpen, setOpen] = useState(!one.holds);
  const readAgain = useReadAgain();
  const settle = { onSuccess: readAgain, onError: (error: unknown) => toast.error(sentence(error)) };
  const accept = useMutation({
    mutationFn: () =>
      ok(
        api.PUT("/api/rulebook/rehearsals/{number}", {
          params: { path: { number: one.id } },
          body: {
            name: one.name,
            given: one.given as never,
            at: one.at,
            expected: Object.fromEntries(Object.keys(one.expected).map((key) => [key, one.outcome?.result[key] ?? null])) as never,
            from_ticket: one.from_ticket,
          },
        }),
      ),
    ...settle,
  });
  const drop = useMutation({
    mutationFn: () => ok(api.DELETE("/api/rulebook/rehearsals/{number}", { params: { path: { number: one.id } } })),
    ...settle,
  });
  const given = one.given as Record<string, string>;
  return (
    <li className="border-b border-line py-2">
      <div className="flex flex-wrap items-center gap-2">
        <span aria-hidden="true" className={one.holds ? "text-sea" : "text-rust"}>
          {one.holds ? "✓" : "✕"}
        </span>
        <button type="button" className="min-w-0 flex-1 text-left hover:underline" aria-expanded={isOpen} onClick={() => setOpen(!isOpen)}>
          <b>{one.name}</b>{" "}
          <span className="text-ink-2">
            {given.title}, {given.service || "no service"}
            {one.from_ticket ? `, from ticket ${one.from_ticket}` : ""}
          </span>
        </button>
        <Button tone="quiet" onClick={() => drop.mutate()}>
          Drop
        </Button>
      </div>
      {one.problem ? <p className="text-rust">{one.problem}</p> : null}
      {isOpen ? (
        <div className="ml-5 mt-1">
          {Object.entries(one.differs).length > 0 ? (
            <div className="mb-2 rounded-small border border-crown bg-crown-2 px-3 py-2">
              {Object.entries(one.differs).map(([name, pair]) => {
                const [expected, actual] = pair as [unknown, unknown];
                return (
                  <p key={name}>
                    {NAMES[name] ?? name}: expected{" "}
                    <b>
                      <ResultValue name={name} value={expected} />
                    </b>
                    , now{" "}
                    <b>
                      <ResultValue name={name} value={actual} />
                    </b>
                  </p>
                );
              })}
              <p className="mt-1">
                <Button onClick={() => accept.mutate()} disabled={accept.isPending}>
                  Accept what comes out now
                </Button>{" "}
                <span className="text-ink-2">or mend the draft.</span>
              </p>
            </div>
          ) : null}
          {one.outcome ? <OutcomeView outcome={one.outcome} /> : null}
        </div>
      ) : null}
    </li>
  );
}
