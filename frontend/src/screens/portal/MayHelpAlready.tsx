import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { useDebounced } from "../../parts/hooks";
import { Button, ErrorNote } from "../../parts/ui";

interface MayHelpAlreadyProps {
  service: string;
  ci: string;
  words: string;
  /** It helped: what was being reported is not needed any more. */
  onHelped: () => void;
}

/** Workarounds that everybody may use, before something is reported; using one is counted. */
export function MayHelpAlready({ service, ci, words, onHelped }: MayHelpAlreadyProps) {
  const late = useDebounced(words.trim(), 350);
  const [helped, setHelped] = useState<number | null>(null);
  const [error, setError] = useState<unknown>(null);
  const { data } = useQuery({
    queryKey: ["portal known errors", service, ci, late],
    queryFn: () =>
      ok(
        api.GET("/api/portal/known-errors", {
          params: { query: { words: late, ...(service ? { service: +service } : {}), ...(ci ? { ci: +ci } : {}) } },
        }),
      ),
    enabled: service !== "" || late.length > 3,
    staleTime: 60_000,
  });
  const say = async (number: number) => {
    setError(null);
    try {
      await ok(api.POST("/api/portal/known-errors/{number}/helped", { params: { path: { number } } }));
      setHelped(number);
      onHelped();
    } catch (problem) {
      setError(problem);
    }
  };
  if (helped !== null)
    return (
      <p role="status" className="rounded-card border border-line bg-sea-3 px-4 py-3">
        Good. Then there is nothing to report.{" "}
        <Link className="underline" to="/">
          Start page
        </Link>
      </p>
    );
  if (!data || data.length === 0) return null;
  return (
    <section aria-label="Try this first" className="rounded-card border border-crown bg-crown-2 px-4 py-3">
      <h2 className="font-bold">We know of this. Until it is fixed, try this:</h2>
      {data.slice(0, 2).map((one) => (
        <div key={one.id} className="mt-2">
          <p className="font-semibold">{one.title}</p>
          <p className="whitespace-pre-wrap">{one.workaround}</p>
          <Button className="mt-1.5" onClick={() => void say(one.id)}>
            It helped: I need not report it
          </Button>
        </div>
      ))}
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
    </section>
  );
}
