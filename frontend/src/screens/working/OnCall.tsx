import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useNow } from "../../parts/hooks";
import { shortDay, when } from "../../parts/time";
import { Button } from "../../parts/ui";
import { RotaDialog } from "./RotaDialog";
import { gapsOf, turnWords, widthOf } from "./rotas";
import { StandInDialog } from "./StandInDialog";

type Rota = components["schemas"]["RotaShape"];
interface Member {
  id: number;
  name: string;
}

/** Who of a team is on call now and in the weeks to come, with every gap said. */
export function OnCall({ rota, people }: { rota: Rota; people: Member[] }) {
  const now = useNow();
  const queries = useQueryClient();
  const [asking, setAsking] = useState<"rota" | "stand-in" | null>(null);
  const drop = useMutation({
    mutationFn: (span: number) => ok(api.DELETE("/api/rotas/{number}/stand-ins/{span}", { params: { path: { number: rota.team, span } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["rotas"] }),
    onError: (error) => toast.error(sentence(error)),
  });
  const [first] = rota.turns;
  const gaps = gapsOf(rota.turns);
  if (!rota.rota && !rota.is_mine_to_lead) return null;
  return (
    <div className="mt-1">
      <p className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <span>
          On call: {first ? <b className={first.person ? "" : "text-rust"}>{turnWords(first)}</b> : "no rota"}
          {first && rota.turns.length > 1 ? <span className="text-ink-2"> until {when(first.to_s, now)}</span> : null}
        </span>
        {rota.is_mine_to_lead ? (
          <Button tone="quiet" onClick={() => setAsking("rota")}>
            {rota.rota ? "Change the rota…" : "Make a rota…"}
          </Button>
        ) : null}
        {rota.rota && (rota.is_mine || rota.is_mine_to_lead) ? (
          <Button tone="quiet" onClick={() => setAsking("stand-in")}>
            Stand in…
          </Button>
        ) : null}
      </p>
      {rota.turns.length > 0 ? (
        <ol
          aria-label={`On call in ${rota.name}, eight weeks`}
          className="relative mt-1 flex h-[26px] overflow-hidden rounded-small border border-line"
        >
          {rota.turns.map((turn) => (
            <li
              key={turn.from_s}
              title={`${turnWords(turn)}: ${when(turn.from_s, now)} – ${when(turn.to_s, now)}`}
              style={{ width: `${widthOf(turn, rota.turns)}%` }}
              className={`min-w-0 truncate border-r border-line px-1 text-[12px] leading-[24px] last:border-r-0 ${
                turn.person ? (turn.why === "instead" ? "bg-crown-2" : "bg-sea-3") : "bg-rust-2 text-rust"
              }`}
            >
              {turn.person.split(" ")[0] || "nobody"} <span className="text-ink-2">{shortDay(turn.from_s)}</span>
              <span className="sr-only">
                {" "}
                {turnWords(turn)}, {when(turn.from_s, now)} to {when(turn.to_s, now)}
              </span>
            </li>
          ))}
        </ol>
      ) : null}
      {gaps.map((gap) => (
        <p key={gap.from_s} className="text-[13px] text-rust">
          Nobody from {when(gap.from_s, now)} to {when(gap.to_s, now)}: {turnWords(gap)}. A page goes to the others of the rota, then to the
          lead.
        </p>
      ))}
      {rota.stand_ins.length > 0 ? (
        <ul className="text-[13px]">
          {rota.stand_ins.map((one) => (
            <li key={one.id} className="flex items-baseline gap-2">
              <span>
                {one.name} stands in {when(one.from_s, now)} – {when(one.to_s, now)}
              </span>
              {one.is_mine || rota.is_mine_to_lead ? (
                <button
                  type="button"
                  className="min-h-[24px] underline"
                  aria-label={`Remove: ${one.name} stands in`}
                  disabled={drop.isPending}
                  onClick={() => drop.mutate(one.id)}
                >
                  remove
                </button>
              ) : null}
            </li>
          ))}
        </ul>
      ) : null}
      {asking === "rota" ? <RotaDialog rota={rota} people={people} onClose={() => setAsking(null)} /> : null}
      {asking === "stand-in" ? <StandInDialog rota={rota} people={people} onClose={() => setAsking(null)} /> : null}
    </div>
  );
}
