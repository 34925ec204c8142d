import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok, sentence } from "../../api/client";
import { heedServerTime, useNow } from "../../parts/hooks";
import { exact, setZone } from "../../parts/time";
import { Loading } from "../../parts/ui";
import { ComingView } from "./ComingView";
import { Grid } from "./Grid";
import { ListView, OutlookView, PartFrame, ReportView } from "./PartView";
import { readDefinition } from "./report";
import { WallFrame } from "./Wall";

const AGAIN_MS = 60_000;
const NAMES: Record<string, string> = { outlook: "Looking ahead", schedule: "Changes" };

/** A dashboard as its link shows it to whoever has it: read only, kept current, nothing to press. */
export function SharedWall() {
  const [key] = useState(() => window.location.hash.slice(1));
  const now = useNow();
  const { data, error, dataUpdatedAt } = useQuery({
    queryKey: ["wall", key],
    queryFn: async () => {
      const found = await ok(api.GET("/api/wall", { params: { header: { "Gannet-Key": key } } }));
      heedServerTime(found.now_s);
      setZone(found.zone);
      return found;
    },
    refetchInterval: AGAIN_MS,
    refetchIntervalInBackground: true,
    retry: false,
  });
  if (error && !data)
    return (
      <main className="mx-auto max-w-[560px] p-8 text-[17px]">
        <h1 className="text-[22px] font-bold">Nothing to show</h1>
        <p className="mt-2">{sentence(error)}</p>
      </main>
    );
  if (!data) return <Loading what="the dashboard" />;
  return (
    <WallFrame name={data.name} note={`from ${data.owner}, until ${exact(data.until_s)}`} readAt={dataUpdatedAt}>
      <Grid
        rows={data.rows}
        render={(part) => {
          const definition = readDefinition(JSON.stringify(part.definition ?? null));
          const isGone = part.is_gone === true || (part.kind === "report" && (!definition || !part.table));
          return (
            <PartFrame part={part} name={NAMES[part.kind] ?? part.name} note="" link="">
              {isGone ? <p className="text-ink-2">This part is gone, or is shared no more.</p> : null}
              {!isGone && definition && part.table ? <ReportView show={part.show} definition={definition} shown={part.table} /> : null}
              {!isGone && part.kind === "list" ? (
                <ListView
                  rows={part.rows}
                  now={now}
                  isStill
                  count={part.count > part.rows.length ? `the first ${part.rows.length} of ${part.count}` : ""}
                />
              ) : null}
              {!isGone && part.schedule ? <ComingView coming={part.schedule} now={now} team="" isStill /> : null}
              {!isGone && part.outlook ? <OutlookView teams={part.outlook.teams} now={now} team="" isStill /> : null}
            </PartFrame>
          );
        }}
      />
    </WallFrame>
  );
}
