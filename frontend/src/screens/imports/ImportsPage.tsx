import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence, uploadTo } from "../../api/client";
import type { components } from "../../api/schema";
import { Button, ErrorNote, inputClass } from "../../parts/ui";

type Import = components["schemas"]["ImportShape"];

/** CSV files: tried first, run with progress, taken back. */
export function ImportsPage() {
  const queries = useQueryClient();
  const picker = useRef<HTMLInputElement>(null);
  const [kind, setKind] = useState("tickets");
  const [number, setNumber] = useState<number | null>(null);
  const [problem, setProblem] = useState("");
  const kinds = useQuery({ queryKey: ["import-kinds"], queryFn: () => ok(api.GET("/api/imports/kinds")), staleTime: 300_000 });
  const past = useQuery({ queryKey: ["imports"], queryFn: () => ok(api.GET("/api/imports")) });
  const path = { params: { path: { number: number ?? 0 } } };
  const current = useQuery({
    queryKey: ["import", number],
    queryFn: () => ok(api.GET("/api/imports/{number}", path)),
    enabled: number !== null,
    refetchInterval: (query) => (["waiting", "running", "being taken back"].includes(query.state.data?.state ?? "") ? 600 : false),
  });
  const chosen = kinds.data?.find((one) => one.kind === kind);
  const act = async (work: () => Promise<Import>) => {
    setProblem("");
    try {
      const next = await work();
      setNumber(next.id);
      queries.setQueryData(["import", next.id], next);
      void queries.invalidateQueries({ queryKey: ["import", next.id] });
      void queries.invalidateQueries({ queryKey: ["imports"] });
    } catch (error) {
      setProblem(sentence(error));
    }
  };
  const row = current.data;
  return (
    <div className="mx-auto max-w-[900px] px-5 py-4">
      <h1 className="text-[21px] font-bold">Import</h1>
      <div className="mt-2 flex flex-wrap items-center gap-2">
        <select aria-label="What" className={`${inputClass} !w-auto`} value={kind} onChange={(event) => setKind(event.target.value)}>
          {kinds.data?.map((one) => (
            <option key={one.kind} value={one.kind}>
              {one.kind}
            </option>
          ))}
        </select>
        <input
          ref={picker}
          type="file"
          accept=".csv,.json,text/csv,application/json"
          aria-label="CSV or JSON file"
          className="hidden"
          onChange={(event) => {
            const file = event.target.files?.[0];
            event.target.value = "";
            if (file) void act(() => uploadTo<Import>("/api/imports", file, { kind }));
          }}
        />
        <Button tone="sea" onClick={() => picker.current?.click()}>
          Try a CSV or JSON file…
        </Button>
        <span className="text-[13px] text-ink-2">Nothing is written before you say so.</span>
      </div>
      {chosen ? (
        <p className="mt-2 text-[13px] text-ink-2">
          Columns:{" "}
          {Object.entries(chosen.columns)
            .map(([name, about]) => `${name}${chosen.needed.includes(name) ? " (needed)" : ""}${about ? ` – ${about}` : ""}`)
            .join("; ")}
        </p>
      ) : null}
      {problem ? <ErrorNote>{problem}</ErrorNote> : null}
      {row ? (
        <section aria-label="This import" className="mt-3 rounded-card border border-line bg-sheet px-3.5 py-3">
          <p>
            <b>{row.name}</b>: {row.good} rows are good, {row.bad} are not. {row.state === "tried" ? "" : `It is ${row.state}.`}
            {row.made > 0 ? ` ${row.made} done.` : ""}
          </p>
          {["waiting", "running"].includes(row.state) ? (
            <progress className="my-1 w-full" value={row.done} max={Math.max(1, row.total)} aria-label="How much is done" />
          ) : null}
          <div className="my-2 flex gap-2">
            {row.state === "tried" && row.good > 0 ? (
              <Button tone="sea" onClick={() => void act(() => ok(api.POST("/api/imports/{number}", path)))}>
                Import {row.good} rows
              </Button>
            ) : null}
            {row.can_undo ? (
              <Button
                onClick={() => void act(() => ok(api.DELETE("/api/imports/{number}", path))).then(() => toast("It is being taken back."))}
              >
                Take it back
              </Button>
            ) : null}
          </div>
          {row.failed.length > 0 ? (
            <ul className="mb-2 text-rust">
              {row.failed.map((one) => (
                <li key={one.line}>
                  line {one.line}: {one.why}
                </li>
              ))}
            </ul>
          ) : null}
          <ul className="max-h-[44vh] overflow-y-auto">
            {row.rows.map((one) => (
              <li key={one.line} className="border-b border-line py-0.5 last:border-0">
                <span className="mr-2 inline-block w-12 text-right font-mono text-[13px] text-ink-2">{one.line}</span>
                {one.errors.length > 0 ? <span className="text-rust">{one.errors.join("; ")}</span> : `${one.does}: ${one.what}`}
              </li>
            ))}
          </ul>
        </section>
      ) : null}
      {past.data && past.data.length > 0 ? (
        <section aria-label="Imports so far" className="mt-4">
          <h2 className="font-bold">So far</h2>
          <ul>
            {past.data.map((one) => (
              <li key={one.id}>
                <button type="button" className="min-h-[24px] hover:underline" onClick={() => setNumber(one.id)}>
                  {one.name}: {one.kind}, {one.state}, {one.made} done
                </button>
              </li>
            ))}
          </ul>
        </section>
      ) : null}
    </div>
  );
}
