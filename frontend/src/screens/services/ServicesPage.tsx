import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useState } from "react";
import { NavLink, useParams } from "react-router";
import { api, ok } from "../../api/client";
import { Button, Empty, Loading } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { DriftPage } from "./DriftPage";
import { EditService } from "./EditService";
import { HealthList } from "./HealthList";
import { ItemsList } from "./ItemsList";
import { PatternsList } from "./PatternsList";

const MapPage = lazy(() => import("./MapPage").then((module) => ({ default: module.MapPage })));

/** Services: how they are now, what a stop reaches, what scans found otherwise, all items. */
export function ServicesPage() {
  const { room = "" } = useParams();
  const { data } = useQuery({ queryKey: ["drift"], queryFn: () => ok(api.GET("/api/estate/drift")), staleTime: 60_000 });
  const { me } = useSession();
  const [isNew, setNew] = useState(false);
  const mayRecord = me?.roles.some((role) => role === "administrator" || role === "team lead") ?? false;
  const drift = data ? data.differing_count + data.unrecorded_count : 0;
  const rooms: [string, string][] = [
    ["", "Health now"],
    ["map", "If this stops"],
    ["drift", drift > 0 ? `Drift ${drift}` : "Drift"],
    ["patterns", "Patterns"],
    ["items", "All items"],
  ];
  return (
    <div className="mx-auto max-w-[1500px] px-5 pb-12 pt-4">
      <div className="mb-3 flex flex-wrap items-center gap-x-5 gap-y-2">
        <h1 className="text-[21px] font-bold">Services</h1>
        <nav aria-label="Of services" className="flex flex-wrap gap-1">
          {rooms.map(([path, label]) => (
            <NavLink
              key={path}
              end
              to={`/desk/services${path ? `/${path}` : ""}`}
              className={({ isActive }) =>
                `rounded-small border px-3 py-1 font-semibold ${isActive ? "border-line-2 bg-sheet" : "border-transparent text-ink-2 hover:text-ink"}`
              }
            >
              {label}
            </NavLink>
          ))}
        </nav>
        {room === "" && mayRecord ? (
          <Button className="ml-auto" onClick={() => setNew(true)}>
            Record a service…
          </Button>
        ) : null}
        {isNew ? <EditService service={null} onClose={() => setNew(false)} /> : null}
      </div>
      {room === "" ? (
        <HealthList />
      ) : room === "map" ? (
        <Suspense fallback={<Loading what="the map" />}>
          <MapPage />
        </Suspense>
      ) : room === "drift" ? (
        <DriftPage />
      ) : room === "patterns" ? (
        <PatternsList />
      ) : room === "items" ? (
        <ItemsList />
      ) : (
        <Empty title="There is nothing at this address">Choose one of the parts above.</Empty>
      )}
    </div>
  );
}
