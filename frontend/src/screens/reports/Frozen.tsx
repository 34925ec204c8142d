import { useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useNow } from "../../parts/hooks";
import { exact, when } from "../../parts/time";
import { Button, ErrorNote, Loading } from "../../parts/ui";
import { readDefinition } from "./report";
import { ReportFigures } from "./ReportFigures";
import { ReportTable } from "./ReportTable";

const ReportChart = lazy(() => import("./ReportChart").then((m) => ({ default: m.ReportChart })));
type Kept = components["schemas"]["KeptReportShape"];

interface FrozenProps {
  kept: Kept;
  /** The one that is shown, if any. */
  shown: number | null;
  onShow: (number: number | null) => void;
}

/** A report as it was: frozen by hand, or by itself at each month's end. */
export function Frozen({ kept, shown, onShow }: FrozenProps) {
  const now = useNow();
  const queries = useQueryClient();
  const [isBusy, setBusy] = useState(false);
  const path = { params: { path: { number: kept.id } } };
  const key = ["reports", "frozen", kept.id];
  const { data, error } = useQuery({ queryKey: key, queryFn: () => ok(api.GET("/api/reports/{number}/frozen", path)), staleTime: 30_000 });
  const attempt = async (does: () => Promise<void>) => {
    if (isBusy) return;
    setBusy(true);
    try {
      await does();
    } catch (problem) {
      toast.error(sentence(problem));
    } finally {
      setBusy(false);
    }
  };
  const freeze = () =>
    attempt(async () => {
      const made = await ok(api.POST("/api/reports/{number}/frozen", path));
      await queries.invalidateQueries({ queryKey: key });
      toast("Frozen as it is now.");
      onShow(made.id);
    });
  const setMonthly = (isOn: boolean) =>
    attempt(async () => {
      await ok(api.PUT("/api/reports/{number}/frozen", { ...path, body: { is_on: isOn } }));
      await queries.invalidateQueries({ queryKey: ["reports", "list"] });
    });
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data || (data.length === 0 && !kept.is_mine)) return null;
  return (
    <section aria-label="As it was" className="mt-3 rounded-card border border-line bg-sheet px-3.5 py-2.5">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
        <h2 className="font-bold">As it was</h2>
        {data.length === 0 ? <span className="text-ink-2">Nothing of it is frozen yet.</span> : null}
        {data.slice(0, 12).map((one) => (
          <button
            key={one.id}
            type="button"
            aria-pressed={one.id === shown}
            className={`min-h-[24px] underline ${one.id === shown ? "font-bold" : ""}`}
            title={`${exact(one.at_s)}${one.by ? `, by ${one.by}` : ", by itself"}`}
            onClick={() => onShow(one.id === shown ? null : one.id)}
          >
            {when(one.at_s, now)}
          </button>
        ))}
        {kept.is_mine ? (
          <span className="ml-auto flex flex-wrap items-center gap-3">
            <label className="flex min-h-[24px] items-center gap-1.5">
              <input type="checkbox" checked={kept.freezes} disabled={isBusy} onChange={(event) => void setMonthly(event.target.checked)} />
              by itself at each month’s end
            </label>
            <Button disabled={isBusy} onClick={() => void freeze()}>
              Freeze it now
            </Button>
          </span>
        ) : null}
      </div>
      {shown !== null ? (
        <Shown number={shown} onGone={() => onShow(null)} after={() => queries.invalidateQueries({ queryKey: key })} />
      ) : null}
    </section>
  );
}

interface ShownProps {
  number: number;
  onGone: () => void;
  after: () => Promise<void>;
}

function Shown({ number, onGone, after }: ShownProps) {
  const { data, error } = useQuery({
    queryKey: ["reports", "as it was", number],
    queryFn: () => ok(api.GET("/api/reports/frozen/{number}", { params: { path: { number } } })),
    staleTime: Infinity,
  });
  const [isSure, setSure] = useState(false);
  const remove = async () => {
    try {
      await ok(api.DELETE("/api/reports/frozen/{number}", { params: { path: { number } } }));
      await after();
      onGone();
      toast("It is removed.");
    } catch (problem) {
      toast.error(sentence(problem));
    }
  };
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <Loading what="the report as it was" />;
  const definition = readDefinition(JSON.stringify(data.definition));
  if (!definition) return <p className="text-ink-2">This one cannot be read any more.</p>;
  return (
    <div className="mt-2">
      <p className="flex flex-wrap gap-3 text-[13px] text-ink-2">
        As it was {exact(data.at_s)}, frozen {data.by ? `by ${data.by}` : "by itself"}. What is confidential is not counted; its numbers
        open nothing, for the records have gone on.
        {data.is_mine ? (
          <span className="ml-auto flex gap-3">
            {isSure ? (
              <>
                It cannot be had back.
                <button type="button" className="min-h-[24px] underline" onClick={() => setSure(false)}>
                  Leave it
                </button>
              </>
            ) : null}
            <button
              type="button"
              className={`min-h-[24px] underline ${isSure ? "font-semibold text-rust" : ""}`}
              onClick={() => (isSure ? void remove() : setSure(true))}
            >
              {isSure ? "Remove it for good" : "Remove it…"}
            </button>
          </span>
        ) : null}
      </p>
      <ReportFigures shown={data.shown} definition={definition} />
      <div className="mt-2 grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] items-start gap-3 max-[1100px]:grid-cols-1">
        <ReportTable shown={data.shown} definition={definition} cell={null} onCell={() => undefined} isStill />
        {(definition.draw ?? "table") === "table" ? null : (
          <Suspense fallback={<Loading what="the drawing" />}>
            <ReportChart shown={data.shown} definition={definition} />
          </Suspense>
        )}
      </div>
    </div>
  );
}
