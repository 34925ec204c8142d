import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ok } from "../../api/client";
import { Box } from "./parts";
import { pathSentence, percent, stoppedSentence } from "./words";

/** Who is hurt if it stops: the services that lose something, each with the path as its why. */
export function WhoIsHurt({ node, name }: { node: string; name: string }) {
  const { data } = useQuery({
    queryKey: ["stops", [node]],
    queryFn: () => ok(api.GET("/api/estate/map/stops", { params: { query: { node: [node] } } })),
  });
  if (!data) return null;
  const services = data.affected.filter((one) => one.kind === "service");
  return (
    <Box title="If it stops">
      <p>
        {stoppedSentence(data)}
        {data.people > 0 ? `; ${data.people} people use what loses at least half` : ""}.{" "}
        <Link to={`/desk/services/map?node=${node}`} className="underline">
          see {name} on the map
        </Link>
      </p>
      <ul>
        {services.map((one) => (
          <li key={one.id} className="border-b border-line py-1 last:border-0">
            <b>
              {one.name} {percent(one.share)}
            </b>{" "}
            <span className="text-[13px] text-ink-2">{pathSentence(one.path)}</span>
          </li>
        ))}
      </ul>
      {data.lost_groups.map((group) => (
        <p key={group.name + group.group} className="mt-1 rounded-small bg-crown-2 px-2 py-1">
          <b>Redundant on paper only:</b> {group.members.join(" and ")} ({group.group}) all fall with {group.causes.join(", ")}.
        </p>
      ))}
    </Box>
  );
}
