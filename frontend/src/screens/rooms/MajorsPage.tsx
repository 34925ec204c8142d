import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { useNow } from "../../parts/hooks";
import { Number } from "../../parts/marks";
import { span, when } from "../../parts/time";
import { Button, Empty, ErrorNote, Loading } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { useTitle } from "../../shell/PageFocus";
import { DeclareDialog } from "./DeclareDialog";

/** The major incidents: what runs first, then what was; declaring one by itself, and drills. */
export function MajorsPage() {
  useTitle("Major incidents");
  const now = useNow();
  const { me, session } = useSession();
  const [over, setOver] = useState<"major" | "drill" | null>(null);
  const { data, error } = useQuery({ queryKey: ["majors"], queryFn: () => ok(api.GET("/api/majors")) });
  const canDeclare = me?.roles.some((role) => role === "major incident lead" || role === "team lead") ?? false;
  return (
    <div className="mx-auto max-w-[1100px] px-4 py-4">
      <div className="flex flex-wrap items-center gap-2">
        <h1 className="text-[20px] font-bold">Major incidents</h1>
        <a className="underline" href="/status" target="_blank" rel="noreferrer">
          status page
        </a>
        {session.is_demo ? (
          <Link className="underline" to="/desk/chat">
            outside chat
          </Link>
        ) : null}
        {canDeclare ? (
          <span className="ml-auto flex gap-2">
            <Button onClick={() => setOver("drill")}>Begin a drill…</Button>
            <Button tone="sea" onClick={() => setOver("major")}>
              Declare…
            </Button>
          </span>
        ) : null}
      </div>
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {!data && !error ? <Loading what="the major incidents" /> : null}
      {data?.length === 0 ? <Empty title="There has been none yet">One is declared from an incident, or here by itself.</Empty> : null}
      {data && data.length > 0 ? (
        <table className="mt-3 w-full border-collapse rounded-card bg-sheet">
          <thead>
            <tr className="text-left text-[13px] text-ink-2">
              {["Number", "Call sign", "What", "State", "Declared", "Lasted", "Affected", "Incidents"].map((one) => (
                <th key={one} scope="col" className="border-b border-line px-2 py-1 font-semibold">
                  {one}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {data.map((one) => (
              <tr key={one.id} className={one.stood_down_s === null ? "bg-rust-2/50" : ""}>
                <td className="border-b border-line px-2 py-1.5">
                  <Number row={{ id: one.id, kind: "major incident" }} />
                </td>
                <td className="border-b border-line px-2 py-1.5 font-bold">
                  <Link className="hover:underline" to={`/desk/rooms/${one.id}`}>
                    {one.call_sign}
                  </Link>
                </td>
                <td className="border-b border-line px-2 py-1.5">
                  {one.title}
                  {one.is_drill ? (
                    <span className="ml-1.5 rounded border border-rust px-1.5 text-[12px] font-semibold text-rust">drill</span>
                  ) : null}
                </td>
                <td className="border-b border-line px-2 py-1.5">{one.state}</td>
                <td className="border-b border-line px-2 py-1.5">{when(one.declared_s, now)}</td>
                <td className="border-b border-line px-2 py-1.5">{span((one.stood_down_s ?? now) - one.declared_s)}</td>
                <td className="border-b border-line px-2 py-1.5 text-right">{one.affected}</td>
                <td className="border-b border-line px-2 py-1.5 text-right">{one.gathered}</td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : null}
      {over ? <DeclareDialog isDrill={over === "drill"} onClose={() => setOver(null)} /> : null}
    </div>
  );
}
