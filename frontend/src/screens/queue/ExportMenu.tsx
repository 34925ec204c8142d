import { useQuery } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import { api, type Export, ok, sentence } from "../../api/client";
import type { Tree } from "../../parts/condition/tree";
import { Button, ErrorNote } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { reportOn } from "../reports/report";
import { fileOf, isUnderWay, progressWords } from "./exporting";

interface ExportMenuProps {
  filter: string;
  sort: string;
  columns: string;
}

/** The list as a file or a sheet of paper. A long list is made in the background. */
export function ExportMenu({ filter, sort, columns }: ExportMenuProps) {
  const { me } = useSession();
  const [started, setStarted] = useState<Export | null>(null);
  const [problem, setProblem] = useState("");
  const begin = async (as: "csv" | "xlsx") => {
    setProblem("");
    setStarted(null);
    try {
      const made = await ok(
        api.POST("/api/exports", { body: { filter: filter ? (JSON.parse(filter) as Record<string, unknown>) : null, sort, columns, as } }),
      );
      if (made.state === "done") fetchFile(made);
      else setStarted(made);
    } catch (failed) {
      setProblem(sentence(failed));
    }
  };
  const item = "block w-full cursor-pointer rounded px-3 py-1.5 text-left outline-none data-[highlighted]:bg-sea-3";
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button>Export ▾</Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" sideOffset={5} className="z-40 min-w-[170px] rounded-card border border-line-2 bg-sheet p-1">
            <DropdownMenu.Item className={item} onSelect={() => void begin("csv")}>
              CSV file
            </DropdownMenu.Item>
            <DropdownMenu.Item className={item} onSelect={() => void begin("xlsx")}>
              XLSX workbook
            </DropdownMenu.Item>
            <DropdownMenu.Item asChild className={item}>
              <a href={`/desk/print?${new URLSearchParams({ filter, sort, columns }).toString()}`} target="_blank" rel="noreferrer">
                Sheet to print
              </a>
            </DropdownMenu.Item>
            {me?.reads_desk ? (
              <DropdownMenu.Item asChild className={item}>
                <Link to={reportOn(filter ? (JSON.parse(filter) as Tree) : { all: [] })}>Report on these</Link>
              </DropdownMenu.Item>
            ) : null}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {problem ? (
        <div className={PLACE}>
          <ErrorNote>{problem}</ErrorNote>
          <Button tone="quiet" onClick={() => setProblem("")}>
            Close
          </Button>
        </div>
      ) : null}
      {started ? <Making key={started.id} started={started} onClose={() => setStarted(null)} /> : null}
    </>
  );
}

const PLACE = "no-print fixed bottom-4 left-4 z-40 flex w-[340px] flex-col gap-2 rounded-card border border-line-2 bg-sheet px-4 py-3";

/** How far a file is; fetched by itself once it is there. */
function Making({ started, onClose }: { started: Export; onClose: () => void }) {
  const { data, error } = useQuery({
    queryKey: ["export", started.id],
    queryFn: () => ok(api.GET("/api/exports/{number}", { params: { path: { number: started.id } } })),
    initialData: started,
    refetchInterval: (query) => (query.state.data && !isUnderWay(query.state.data) ? false : 700),
  });
  const isReady = data.state === "done";
  useEffect(() => {
    if (isReady) fetchFile(data);
    // Fetched once, when it is ready.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [isReady]);
  const stop = () => {
    void api.DELETE("/api/exports/{number}", { params: { path: { number: started.id } } });
    onClose();
  };
  return (
    <section role="status" aria-label="Export" className={PLACE}>
      <p className="font-semibold">{error ? sentence(error) : progressWords(data)}</p>
      {isUnderWay(data) ? (
        <>
          <progress className="h-2 w-full accent-sea" max={Math.max(1, data.total)} value={data.done} aria-label="Rows written" />
          <div className="flex justify-between">
            <span className="text-[13px] text-ink-2">You can go on working meanwhile.</span>
            <Button tone="quiet" onClick={stop}>
              Stop
            </Button>
          </div>
        </>
      ) : (
        <div className="flex justify-between">
          {isReady ? (
            <a className="underline" href={fileOf(data)} download={data.name}>
              Save it again
            </a>
          ) : (
            <span />
          )}
          <Button tone="quiet" onClick={onClose}>
            Close
          </Button>
        </div>
      )}
    </section>
  );
}

function fetchFile(made: Export): void {
  const link = document.createElement("a");
  link.href = fileOf(made);
  link.download = made.name;
  link.click();
}
