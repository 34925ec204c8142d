import type { Ticket } from "../../api/client";

/** The stages of a change's way, the one that it is in marked; what its stage still needs. */
export function Way({ ticket }: { ticket: Ticket }) {
  const change = ticket.change;
  if (!change) return null;
  const isOnIt = change.way.some((one) => one.is_now);
  return (
    <section aria-label="Stages" className="mt-3">
      {isOnIt ? (
        <ol className="flex flex-wrap gap-x-1 gap-y-1 text-[13px]">
          {change.way.map((one) => (
            <li
              key={one.name}
              aria-current={one.is_now ? "step" : undefined}
              className={`border-t-[3px] px-1.5 pt-0.5 ${
                one.is_now
                  ? "border-sea font-semibold text-ink"
                  : one.is_past
                    ? "border-sea-2 text-ink-2"
                    : "border-dotted border-line-2 text-ink-2"
              }`}
            >
              {one.name}
              <span className="sr-only">{one.is_now ? ", it is here" : one.is_past ? ", passed" : ""}</span>
            </li>
          ))}
        </ol>
      ) : null}
      {change.stage_lacks.length > 0 ? (
        <p className="mt-2 rounded-card border border-crown bg-crown-2 px-3.5 py-2">
          <b>Before it leaves this stage:</b> {change.stage_lacks.map((one) => one.says).join(" ")}
        </p>
      ) : null}
    </section>
  );
}
