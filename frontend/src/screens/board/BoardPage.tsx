import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, useSearchParams } from "react-router";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { heedServerTime, useNow } from "../../parts/hooks";
import { dueWords, urgencyOf } from "../../parts/state";
import { ErrorNote, inputClass, Loading } from "../../parts/ui";
import { onTouched } from "../../shell/live";
import { useSession } from "../../shell/session";

type Card = components["schemas"]["CardShape"];

/** The requests by phase, for those who bring them; the Queue has them as a list. */
export function BoardPage() {
  const { me } = useSession();
  const now = useNow();
  const [params, setParams] = useSearchParams();
  const { data: teams } = useQuery({ queryKey: ["teams"], queryFn: () => ok(api.GET("/api/teams")), staleTime: 60_000 });
  const own = teams?.find((team) => me?.teams.includes(team.name));
  const team = params.get("team") ?? (own ? String(own.id) : "");
  const board = useQuery({
    queryKey: ["board", team],
    queryFn: async () => {
      const found = await ok(api.GET("/api/requests/board", { params: { query: team && team !== "all" ? { team: +team } : {} } }));
      heedServerTime(found.now_s);
      return found;
    },
    enabled: teams !== undefined,
  });
  const { refetch } = board;
  useEffect(() => onTouched(() => void refetch()), [refetch]);
  useEffect(() => {
    document.title = "Requests";
  }, []);
  const columns = board.data?.columns.filter((column) => column.cards.length > 0) ?? [];
  const everything = encodeURIComponent(
    JSON.stringify({
      all: [
        { field: "kind", op: "is", value: "request" },
        { field: "open", op: "is", value: true },
      ],
    }),
  );
  return (
    <div className="px-[18px] pb-10 pt-3 max-[600px]:px-3">
      <div className="mb-3 flex flex-wrap items-center gap-3">
        <h1 className="text-[21px] font-bold">Requests</h1>
        <select
          aria-label="Team"
          className={`${inputClass} !w-auto`}
          value={team || "all"}
          onChange={(event) => setParams({ team: event.target.value }, { replace: true })}
        >
          <option value="all">all teams</option>
          {teams?.map((one) => (
            <option key={one.id} value={one.id}>
              {one.name}
            </option>
          ))}
        </select>
        <Link className="why" to={`/desk/queue?filter=${everything}`}>
          as a list
        </Link>
        {board.data?.is_capped ? <span className="text-ink-2">The 400 soonest are shown.</span> : null}
      </div>
      {board.error ? <ErrorNote>{sentence(board.error)}</ErrorNote> : null}
      {board.isPending ? <Loading what="the requests" /> : null}
      {board.data && columns.length === 0 ? <p className="text-ink-2">This team has no requests.</p> : null}
      <div className="flex items-start gap-3 overflow-x-auto pb-3" role="group" aria-label="Phases">
        {columns.map((column) => (
          <section key={column.name} aria-label={column.name} className="w-[268px] shrink-0">
            <h2 className="mb-1.5 font-bold">
              {column.name} <span className="font-normal text-ink-2">{column.cards.length}</span>
            </h2>
            <ul className="flex flex-col gap-2">
              {column.cards.map((card) => (
                <BoardCard key={card.id} card={card} now={now} />
              ))}
            </ul>
          </section>
        ))}
      </div>
    </div>
  );
}

function BoardCard({ card, now }: { card: Card; now: number }) {
  return (
    <li>
      <Link to={`/desk/tickets/${card.id}`} className="block rounded-card border border-line bg-sheet px-3 py-2 hover:border-sea">
        <b className="block">{card.title}</b>
        <span className="block text-[13px] text-ink-2">
          <span className="font-mono">{card.id}</span> · for {card.for_whom}
          {card.parent ? ` · part of ${card.parent}` : card.is_whole ? " · bundle" : ""}
        </span>
        <span className="block text-[13px] text-ink-2">
          {card.task ? `next: ${card.task}` : card.waits || (card.holder ? `${card.holder} has it` : `${card.team}, unassigned`)}
        </span>
        <span className="flex justify-between text-[13px]">
          <span className="text-ink-2">{card.all_tasks > 0 ? `${card.all_tasks - card.open_tasks} of ${card.all_tasks} tasks` : ""}</span>
          <span className={urgencyOf(card, now) === "late" ? "font-bold text-rust" : "text-ink-2"}>{dueWords(card, now)}</span>
        </span>
      </Link>
    </li>
  );
}
