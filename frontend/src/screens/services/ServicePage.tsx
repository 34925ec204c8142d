import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { Button, ErrorNote, Loading } from "../../parts/ui";
import { useTitle } from "../../shell/PageFocus";
import { Box, Ends, History, OpenIncidents, Weeks } from "./parts";
import { Covering } from "./Covering";
import { EditService } from "./EditService";
import { ItsArticles } from "./ItsArticles";
import { ItsChanges } from "./ItsChanges";
import { ItsWindows } from "./ItsWindows";
import { ServicesPage } from "./ServicesPage";
import { vital } from "./words";
import { WhoIsHurt } from "./WhoIsHurt";

/** A service's page by its number; any other word is one of the parts of Services. */
export function ServiceOrRoom() {
  const { room = "" } = useParams();
  return /^\d+$/.test(room) ? <ServicePage number={Number(room)} /> : <ServicesPage />;
}

function ServicePage({ number }: { number: number }) {
  const navigate = useNavigate();
  const { data, error } = useQuery({
    queryKey: ["service", number],
    queryFn: () => ok(api.GET("/api/services/{number}", { params: { path: { number } } })),
  });
  const [isEditing, setEditing] = useState(false);
  useTitle(data?.name);
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <Loading what="the service" />;
  const facts: [string, string][] = [
    ["How vital", vital(data.criticality)],
    ["Life", data.life],
    ["Team", data.team],
    ["Business owner", data.owner],
    ["Technical owner", data.technical_owner],
    ["Supplier", data.supplier],
    ["Contract", data.contract],
    ["Used by", data.departments.join(", ")],
  ];
  return (
    <div className="mx-auto max-w-[1280px] px-5 pb-12 pt-4">
      <div className="flex flex-wrap items-start justify-between gap-3">
        <div>
          <p className="text-[13px] text-ink-2">
            <Link to="/desk/services" className="underline">
              Services
            </Link>
          </p>
          <h1 className="text-[21px] font-bold">{data.name}</h1>
          <p className="text-ink-2">{data.plain}</p>
        </div>
        <span className="flex flex-wrap gap-2">
          <Button onClick={() => void navigate(`/desk/services/map?node=${data.node}`)}>On the map</Button>
          {data.can_change ? <Button onClick={() => setEditing(true)}>Change…</Button> : null}
        </span>
        {isEditing ? <EditService service={data} onClose={() => setEditing(false)} /> : null}
      </div>
      <div className="mt-3 grid gap-x-6 gap-y-4 min-[900px]:grid-cols-2">
        <div>
          <dl className="grid grid-cols-[130px_1fr] gap-x-3 gap-y-0.5">
            {facts
              .filter(([, value]) => value)
              .map(([label, value]) => (
                <div key={label} className="contents">
                  <dt className="text-ink-2">{label}</dt>
                  <dd>{value}</dd>
                </div>
              ))}
          </dl>
          <Box title="Stands on">
            <Ends ends={data.stands_on} nothing="Nothing is recorded that it stands on." />
          </Box>
          <WhoIsHurt node={data.node} name={data.name} />
          <Box title="Its items">
            {data.kinds.length === 0 ? <p className="text-ink-2">No item is recorded of it.</p> : null}
            <ul className="flex flex-wrap gap-2">
              {data.kinds.map((one) => (
                <li key={one.kind}>
                  <Link to={`/desk/services/items?kind=${encodeURIComponent(one.kind)}`} className="underline">
                    {one.count} × {one.kind}
                  </Link>
                </li>
              ))}
            </ul>
          </Box>
          <ItsWindows windows={data.windows} now={data.now_s} />
        </div>
        <div>
          <Box title="Open incidents" note={String(data.open_count)}>
            <OpenIncidents incidents={data.open_incidents} count={data.open_count} now={data.now_s} />
          </Box>
          <ItsChanges changes={data.changes} now={data.now_s} />
          <Covering agreements={data.agreements} />
          <ItsArticles what="service" number={number} words={data.name} />
          <Box title="Incidents a week">
            <Weeks weeks={data.weeks} />
          </Box>
          <Box title="History">
            <History happened={data.history} />
          </Box>
        </div>
      </div>
    </div>
  );
}
