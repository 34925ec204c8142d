import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import { ApprovalCard } from "../../parts/ApprovalCard";
import { ColleaguePicker } from "../../parts/ColleaguePicker";
import { useNow } from "../../parts/hooks";
import { instantOfLocal, localInput, when } from "../../parts/time";
import { Button, ErrorNote, Field, Loading } from "../../parts/ui";
import { WhenInput } from "../../parts/WhenInput";

/** What I am asked to decide, and who decides beside me while I am away. */
export function ApprovalsPage() {
  const queries = useQueryClient();
  const { data, error } = useQuery({ queryKey: ["approvals"], queryFn: () => ok(api.GET("/api/approvals")), refetchInterval: 60_000 });
  return (
    <div className="mx-auto max-w-[760px] pt-6">
      <Link to="/" className="text-sea underline-offset-2 hover:underline">
        ← Start page
      </Link>
      <h1 className="mb-3 mt-2 text-[26px] font-bold">Approvals</h1>
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {data === undefined && !error ? <Loading what="what waits for you" /> : null}
      {data?.length === 0 ? <p className="text-ink-2">Nothing waits for you.</p> : null}
      {data && data.length > 0 ? (
        <div className="rounded-card border border-line bg-sheet px-4 py-1">
          {data.map((approval) => (
            <ApprovalCard
              key={approval.id}
              approval={approval}
              onDone={() => {
                void queries.invalidateQueries({ queryKey: ["approvals"] });
                void queries.invalidateQueries({ queryKey: ["notifications"] });
              }}
            />
          ))}
        </div>
      ) : null}
      <Deputies />
    </div>
  );
}

function Deputies() {
  const queries = useQueryClient();
  const now = useNow();
  const { data } = useQuery({ queryKey: ["deputies"], queryFn: () => ok(api.GET("/api/deputies")) });
  const [who, setWho] = useState({ id: 0, name: "" });
  const [from, setFrom] = useState("");
  const [to, setTo] = useState("");
  const [error, setError] = useState<Problem | null>(null);
  const again = () => queries.invalidateQueries({ queryKey: ["deputies"] });
  const add = async () => {
    setError(null);
    try {
      await ok(
        api.POST("/api/deputies", {
          body: { deputy: who.id, from_s: from ? instantOfLocal(from) : now, to_s: to ? instantOfLocal(to) : 0 } as never,
        }),
      );
      setWho({ id: 0, name: "" });
      setFrom("");
      setTo("");
      await again();
    } catch (problem) {
      if (problem instanceof Problem) setError(problem);
      else toast.error(sentence(problem));
    }
  };
  return (
    <section aria-label="Deputies" className="mt-8">
      <h2 className="mb-1 text-[17px] font-bold">My deputies</h2>
      <p className="mb-2 text-ink-2">Between two days they get what you get, and either of you can approve.</p>
      <ul className="flex flex-col gap-2">
        {data?.map((row) => (
          <li key={row.id} className="flex items-center gap-3 rounded-card border border-line bg-sheet px-4 py-2">
            <b className="flex-1">{row.name}</b>
            <span className="text-ink-2">
              {when(row.from_s, now)} to {when(row.to_s, now)}
            </span>
            <Button
              tone="quiet"
              aria-label={`${row.name} no longer`}
              onClick={() => void ok(api.DELETE("/api/deputies/{number}", { params: { path: { number: row.id } } })).then(again)}
            >
              No longer
            </Button>
          </li>
        ))}
      </ul>
      <form
        className="mt-3 grid grid-cols-[1fr_190px_190px_auto] items-end gap-2 max-[760px]:grid-cols-1"
        onSubmit={(event) => {
          event.preventDefault();
          void add();
        }}
      >
        <ColleaguePicker
          label="Deputy"
          name={who.name}
          error={error?.fields.deputy}
          onName={(name) => setWho({ id: 0, name })}
          onPick={(person) => setWho({ id: person.id, name: person.name ?? "" })}
        />
        <Field label="From">
          {(props) => (
            <WhenInput
              props={props}

              value={from}
              min={localInput(now)}
              onChange={(next) => setFrom(next)}
            />
          )}
        </Field>
        <Field label="To" error={error?.fields.to_s}>
          {(props) => (
            <WhenInput
              props={props}

              value={to}
              min={localInput(now)}
              onChange={(next) => setTo(next)}
            />
          )}
        </Field>
        <Button type="submit" disabled={!who.id || !to}>
          Add
        </Button>
      </form>
      {error && Object.keys(error.fields).length === 0 ? <ErrorNote>{error.message}</ErrorNote> : null}
    </section>
  );
}
