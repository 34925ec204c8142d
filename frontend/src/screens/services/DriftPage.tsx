import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { exact, when } from "../../parts/time";
import { Button, Empty, ErrorNote, inputClass, Loading } from "../../parts/ui";
import { NewChange } from "../changes/NewChange";
import { DecideDrift } from "./DecideDrift";
import { RecordedAndSeen } from "./parts";

type Unrecorded = components["schemas"]["UnrecordedShape"];

/** What scans and records do not agree on, each with what can be done about it. */
export function DriftPage() {
  const [asking, setAsking] = useState<{ id: number; name: string } | null>(null);
  const { data, error } = useQuery({ queryKey: ["drift"], queryFn: () => ok(api.GET("/api/estate/drift")) });
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <Loading what="what scans found" />;
  if (data.differing_count + data.unrecorded_count + data.unseen_count === 0)
    return <Empty title="Records and scans agree">Whatever a scan finds otherwise than it is recorded comes here.</Empty>;
  return (
    <div className="grid gap-5 min-[1000px]:grid-cols-2">
      <section aria-label="Otherwise than recorded">
        <h2 className="mb-2 text-[16px] font-bold">
          Otherwise than recorded <span className="font-normal text-ink-2">{data.differing_count}, and nothing explains it</span>
        </h2>
        {data.differing.map((item) => (
          <article key={item.id} aria-label={item.name} className="mb-3 rounded-card border border-line bg-sheet px-3.5 py-2.5">
            <p className="flex flex-wrap items-baseline gap-x-3">
              <Link to={`/desk/items/${item.id}`} className="font-bold hover:underline">
                {item.name}
              </Link>
              <span className="text-[13px] text-ink-2">
                {item.kind}
                {item.owner ? ` · ${item.owner}` : ""}
                {item.seen_s ? ` · scan of ${when(item.seen_s, data.now_s)}` : ""}
              </span>
            </p>
            <RecordedAndSeen
              attributes={item.attributes}
              act={item.can_change ? (attribute) => <DecideDrift item={item.id} attribute={attribute} /> : undefined}
            />
            <p className="mt-1">
              <Link to={`/desk/services/drift?log=item-${item.id}`} className="underline">
                Open an incident…
              </Link>{" "}
              ·{" "}
              <button type="button" className="min-h-[24px] underline" onClick={() => setAsking({ id: item.id, name: item.name })}>
                Request a change…
              </button>
            </p>
          </article>
        ))}
        {data.differing.length === 0 ? <p className="text-ink-2">Nothing differs.</p> : null}
      </section>
      <div>
        <section aria-label="Seen, and nobody recorded it">
          <h2 className="mb-2 text-[16px] font-bold">
            Seen, and nobody recorded it <span className="font-normal text-ink-2">{data.unrecorded_count}</span>
          </h2>
          {data.unrecorded.map((one) => (
            <UnrecordedThing key={one.id} thing={one} canChange={data.can_change} />
          ))}
          {data.unrecorded.length === 0 ? <p className="text-ink-2">Everything that was seen is recorded.</p> : null}
        </section>
        <section aria-label="Not seen" className="mt-5">
          <h2 className="mb-2 text-[16px] font-bold">
            Not seen for {data.unseen_days} days <span className="font-normal text-ink-2">{data.unseen_count}</span>
          </h2>
          <ul>
            {data.unseen.map((item) => (
              <li key={item.id} className="flex gap-3 border-b border-line py-1">
                <Link to={`/desk/items/${item.id}`} className="hover:underline">
                  {item.name}
                </Link>
                <span className="ml-auto text-[13px] text-ink-2">last {item.seen_s ? exact(item.seen_s) : "never"}</span>
              </li>
            ))}
          </ul>
          {data.unseen.length === 0 ? <p className="text-ink-2">What was seen once was seen lately.</p> : null}
        </section>
      </div>
      {asking ? (
        <NewChange title={`Put ${asking.name} back as it is recorded`} on={asking} putsBack onClose={() => setAsking(null)} />
      ) : null}
    </div>
  );
}

function UnrecordedThing({ thing, canChange }: { thing: Unrecorded; canChange: boolean }) {
  const queries = useQueryClient();
  const [isDismissing, setDismissing] = useState(false);
  const [why, setWhy] = useState("");
  const [isBusy, setBusy] = useState(false);
  const decide = async (does: "record" | "dismiss") => {
    setBusy(true);
    try {
      const after = await ok(
        api.POST("/api/estate/drift/unrecorded/{number}", {
          params: { path: { number: thing.id } },
          body: { does, why, kind: thing.kind, service: null },
        }),
      );
      queries.setQueryData(["drift"], after);
      toast(does === "record" ? `${thing.name} is recorded.` : `${thing.name} is dismissed.`);
    } catch (error) {
      toast.error(sentence(error));
      setBusy(false);
    }
  };
  return (
    <article aria-label={thing.name} className="mb-2 rounded-card border border-line bg-sheet px-3.5 py-2.5">
      <p>
        <b>{thing.name}</b>{" "}
        <span className="text-[13px] text-ink-2">
          {thing.kind}
          {thing.place ? ` · ${thing.place}` : ""} · first seen {exact(thing.first_s)}
        </span>
      </p>
      <p className="text-[14px]">{thing.attributes.map((one) => `${one.label} ${one.value}`).join(" · ")}</p>
      {canChange ? (
        isDismissing ? (
          <form
            className="mt-2 flex gap-2"
            onSubmit={(event) => {
              event.preventDefault();
              void decide("dismiss");
            }}
          >
            <input
              autoFocus
              aria-label="Why it is not ours"
              placeholder="Why it is not ours"
              className={inputClass}
              value={why}
              onChange={(event) => setWhy(event.target.value)}
            />
            <Button type="submit" disabled={isBusy || !why.trim()}>
              Dismiss
            </Button>
            <Button onClick={() => setDismissing(false)}>Cancel</Button>
          </form>
        ) : (
          <p className="mt-2 flex gap-2">
            <Button disabled={isBusy || !thing.kind} onClick={() => void decide("record")}>
              Record it
            </Button>
            <Button disabled={isBusy} onClick={() => setDismissing(true)}>
              It is not ours…
            </Button>
          </p>
        )
      ) : null}
    </article>
  );
}
