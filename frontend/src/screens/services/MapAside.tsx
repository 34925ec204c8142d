import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { when } from "../../parts/time";
import { ErrorNote, Loading } from "../../parts/ui";
import { ChoosesItem } from "./ChoosesItem";
import { Box, OpenIncidents, RecordedAndSeen, Weeks } from "./parts";
import { pageOf, vital } from "./words";

/** What is known of the thing that was chosen last, beside the map. */
export function MapAside({ node, forRecord }: { node: string | undefined; forRecord: number | null }) {
  const [what, number] = (node ?? "").split("-");
  if (!node)
    return (
      <aside aria-label="What is chosen" className="text-ink-2">
        Choose a service or an item on the map: what it is, what is open on it and what scans have seen stands here.
      </aside>
    );
  return (
    <aside aria-label="What is chosen" className="self-start rounded-card border border-line bg-sheet px-3.5 py-3">
      {what === "service" ? <ServiceAside number={Number(number)} /> : <ItemAside number={Number(number)} forRecord={forRecord} />}
      <p className="mt-3">
        <Link to={pageOf(node)} className="font-bold text-sea underline">
          Open its page
        </Link>
      </p>
    </aside>
  );
}

function ItemAside({ number, forRecord }: { number: number; forRecord: number | null }) {
  const { data, error } = useQuery({
    queryKey: ["item", number],
    queryFn: () => ok(api.GET("/api/estate/items/{number}", { params: { path: { number } } })),
  });
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <Loading what="the item" />;
  return (
    <>
      <p className="text-[13px] text-ink-2">
        {data.kind} · {data.life} · {vital(data.criticality)}
      </p>
      <h2 className="text-[18px] font-bold leading-tight">{data.name}</h2>
      {forRecord === null ? null : <ChoosesItem number={forRecord} item={data} />}
      <dl className="mt-1 grid grid-cols-[74px_1fr] gap-x-2 text-[14px]">
        {[
          ["Owner", data.owner],
          ["Team", data.team],
          ["Place", data.place],
          ["Service", data.service],
        ].map(([label, value]) =>
          value ? (
            <div key={label} className="contents">
              <dt className="text-ink-2">{label}</dt>
              <dd>{value}</dd>
            </div>
          ) : null,
        )}
      </dl>
      <Box title="Recorded and seen" note={data.seen_s ? `scan of ${when(data.seen_s, data.now_s)}` : "no scan has seen it"}>
        <RecordedAndSeen attributes={data.attributes} />
      </Box>
      <Box title="Open incidents" note={String(data.open_count)}>
        <OpenIncidents incidents={data.open_incidents.slice(0, 6)} count={data.open_count} now={data.now_s} />
      </Box>
      <Box title="Incidents a week">
        <Weeks weeks={data.weeks} />
      </Box>
    </>
  );
}

function ServiceAside({ number }: { number: number }) {
  const { data, error } = useQuery({
    queryKey: ["service", number],
    queryFn: () => ok(api.GET("/api/services/{number}", { params: { path: { number } } })),
  });
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <Loading what="the service" />;
  return (
    <>
      <p className="text-[13px] text-ink-2">service · {vital(data.criticality)}</p>
      <h2 className="text-[18px] font-bold leading-tight">{data.name}</h2>
      <p className="text-ink-2">{data.plain}</p>
      <Box title="Open incidents" note={String(data.open_count)}>
        <OpenIncidents incidents={data.open_incidents.slice(0, 8)} count={data.open_count} now={data.now_s} />
      </Box>
      <Box title="Incidents a week">
        <Weeks weeks={data.weeks} />
      </Box>
    </>
  );
}
