import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { Button, ErrorNote } from "../../parts/ui";

function useRecord(number: number) {
  return useQuery({ queryKey: ["ticket", number], queryFn: () => ok(api.GET("/api/tickets/{number}", { params: { path: { number } } })) });
}

/** That the map was opened to choose the CI of a record, and the way back to it. */
export function ChoosesFor({ number }: { number: number }) {
  const { data, error } = useRecord(number);
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  return (
    <p className="mb-3 flex flex-wrap items-baseline gap-x-3 rounded-small bg-sea-3 px-3 py-1.5">
      <span>
        Choose the CI of <b>{number}</b> {data?.title}
      </span>
      <Link to={`/desk/tickets/${number}`} className="ml-auto underline">
        Back to it without choosing
      </Link>
    </p>
  );
}

/** Makes the item that is looked at the CI of a record. */
export function ChoosesItem({ number, item }: { number: number; item: { id: number; name: string } }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { data } = useRecord(number);
  const [problem, setProblem] = useState<unknown>(null);
  const [isBusy, setBusy] = useState(false);
  const choose = async () => {
    if (!data) return;
    setBusy(true);
    try {
      const body = { version: data.version, ci: item.id };
      queries.setQueryData(["ticket", number], await ok(api.PATCH("/api/tickets/{number}", { params: { path: { number } }, body })));
      void queries.invalidateQueries({ queryKey: ["why", number] });
      toast(`${item.name} is the CI of ${number}.`);
      void navigate(`/desk/tickets/${number}`);
    } catch (error) {
      setProblem(error);
      void queries.invalidateQueries({ queryKey: ["ticket", number] });
      setBusy(false);
    }
  };
  if (data?.facts.ci?.id === item.id) return <p className="mt-2 text-ink-2">It is the CI of {number}.</p>;
  return (
    <div className="mt-2">
      <Button tone="sea" disabled={isBusy || !data} onClick={() => void choose()}>
        This is the CI of {number}
      </Button>
      {problem ? <ErrorNote>{sentence(problem)}</ErrorNote> : null}
    </div>
  );
}
