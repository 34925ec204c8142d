import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { when } from "../../parts/time";
import { Button, ErrorNote, Loading } from "../../parts/ui";
import { useTitle } from "../../shell/PageFocus";
import { NewChange } from "../changes/NewChange";
import { AsItWas } from "./AsItWas";
import { ChangeItem } from "./ChangeItem";
import { DecideDrift } from "./DecideDrift";
import { AddDependency } from "./AddDependency";
import { Box, Ends, History, OpenIncidents, RecordedAndSeen, Weeks } from "./parts";
import { Covering } from "./Covering";
import { ItsArticles } from "./ItsArticles";
import { ItsChanges } from "./ItsChanges";
import { ItsWindows } from "./ItsWindows";
import { vital } from "./words";
import { WhoIsHurt } from "./WhoIsHurt";

type End = components["schemas"]["EndShape"];

/** One item: what it is, recorded against seen, what it stands on and carries, what happened. */
export function ItemPage() {
  const number = Number(useParams().number);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [isChanging, setChanging] = useState(false);
  const [isAsking, setAsking] = useState(false);
  const { data, error } = useQuery({
    queryKey: ["item", number],
    queryFn: () => ok(api.GET("/api/estate/items/{number}", { params: { path: { number } } })),
  });
  useTitle(data?.name);
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <Loading what="the item" />;
  const remove = (end: End) =>
    data.can_change ? (
      <button
        type="button"
        className="text-[13px] underline"
        aria-label={`remove: ${end.name}`}
        onClick={() =>
          void ok(api.DELETE("/api/estate/dependencies", { params: { query: { source: end.source, target: end.target } } }))
            .then(() => queries.invalidateQueries({ queryKey: ["item"] }))
            .then(() => toast("Removed."))
            .catch((problem: unknown) => toast.error(sentence(problem)))
        }
      >
        remove
      </button>
    ) : null;
  return (
    <div className="mx-auto max-w-[1280px] px-5 pb-12 pt-4">
      <div className="flex flex-wrap items-start justify-between gap-3">
        <div>
          <p className="text-[13px] text-ink-2">
            <Link to="/desk/services/items" className="underline">
              All items
            </Link>{" "}
            · {data.kind} · {data.key}
          </p>
          <h1 className="text-[21px] font-bold">{data.name}</h1>
        </div>
        <span className="flex flex-wrap gap-2">
          {data.can_change ? <Button onClick={() => setChanging(true)}>Change…</Button> : null}
          <Button onClick={() => setAsking(true)}>Request a change…</Button>
          <Button onClick={() => void navigate(`/desk/services/map?node=${data.node}`)}>On the map</Button>
          <Button tone="sea" onClick={() => void navigate(`/desk/items/${number}?log=item-${number}`)}>
            Log an incident…
          </Button>
        </span>
      </div>
      <div className="mt-3 grid gap-x-6 gap-y-4 min-[900px]:grid-cols-2">
        <div>
          <dl className="grid grid-cols-[130px_1fr] gap-x-3 gap-y-0.5">
            {facts(data).map(([label, value]) => (
              <div key={label} className="contents">
                <dt className="text-ink-2">{label}</dt>
                <dd>{value}</dd>
              </div>
            ))}
          </dl>
          <Box title="Recorded and seen" note={data.seen_s ? `scan of ${when(data.seen_s, data.now_s)}` : "no scan has seen it"}>
            <RecordedAndSeen
              attributes={data.attributes}
              act={data.can_change ? (attribute) => <DecideDrift item={number} attribute={attribute} /> : undefined}
            />
          </Box>
          <WhoIsHurt node={data.node} name={data.name} />
          <Box title="Stands on">
            <Ends ends={data.stands_on} nothing="Nothing is recorded that it stands on." remove={remove} />
            {data.can_change ? <AddDependency node={data.node} /> : null}
          </Box>
          <Box title="Carries" note={data.carries_count > 0 ? String(data.carries_count) : undefined}>
            <Ends ends={data.carries} nothing="Nothing stands on it." />
          </Box>
        </div>
        <div>
          <Box title="Open incidents" note={String(data.open_count)}>
            <OpenIncidents incidents={data.open_incidents} count={data.open_count} now={data.now_s} />
          </Box>
          <ItsChanges changes={data.changes} now={data.now_s} />
          {data.problems.length > 0 ? (
            <Box title="Problems" note={String(data.problems.length)}>
              <ul>
                {data.problems.map((one) => (
                  <li key={one.id} className="py-0.5">
                    <Link to={`/desk/tickets/${one.id}`} className="hover:underline">
                      <span className="font-mono text-[13px]">{one.id}</span> {one.title}
                    </Link>{" "}
                    <span className="text-[13px] text-ink-2">{one.state}</span>
                  </li>
                ))}
              </ul>
            </Box>
          ) : null}
          <Covering agreements={data.agreements} />
          <ItsWindows windows={data.windows} now={data.now_s} />
          <ItsArticles what="item" number={data.id} words={data.kind} />
          <Box title="Incidents a week">
            <Weeks weeks={data.weeks} />
          </Box>
          <Box title="History">
            <History happened={data.history} />
            <AsItWas item={number} />
          </Box>
        </div>
      </div>
      {isChanging ? <ChangeItem item={data} onClose={() => setChanging(false)} /> : null}
      {isAsking ? <NewChange on={{ id: number, name: data.name }} onClose={() => setAsking(false)} /> : null}
    </div>
  );
}

function facts(item: components["schemas"]["ItemShape"]): [string, React.ReactNode][] {
  const service = item.service ? (
    <Link to={`/desk/services/${item.service_node.split("-")[1] ?? ""}`} className="underline">
      {item.service}
    </Link>
  ) : (
    ""
  );
  const all: [string, React.ReactNode][] = [
    ["Service", service],
    ["Place", item.place],
    ["Life", item.life],
    ["How vital", vital(item.criticality)],
    ["Team", item.team],
    ["Technical owner", item.owner],
    ["Business owner", item.business_owner],
    ["Used by", item.used_by],
    ["Supplier", item.supplier],
    ["Contract", item.contract],
  ];
  return all.filter(([, value]) => Boolean(value));
}
