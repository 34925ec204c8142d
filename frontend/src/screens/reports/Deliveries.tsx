import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useNow } from "../../parts/hooks";
import { PickMany, PickOne } from "../../parts/picks";
import { when } from "../../parts/time";
import { Button, ErrorNote, inputClass } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { addressesOf, rawOf, shownOf, unitOf } from "./delivery";
import type { Shown } from "./report";

type Delivery = components["schemas"]["DeliveryShape"];
type Body = components["schemas"]["AddDeliveryShapeRequest"];

const WEEKDAYS = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
const KINDS = [
  { key: "pdf", name: "PDF" },
  { key: "xlsx", name: "XLSX" },
  { key: "csv", name: "CSV" },
];

/** A kept report that goes out by mail: when, to whom, as what, and what went out. */
export function Deliveries({ report, shown }: { report: number; shown: Shown }) {
  const key = ["reports", "deliveries", report];
  const queries = useQueryClient();
  const [editing, setEditing] = useState<number | "new" | null>(null);
  const { data, error } = useQuery({
    queryKey: key,
    queryFn: () => ok(api.GET("/api/reports/{number}/deliveries", { params: { path: { number: report } } })),
    staleTime: 30_000,
  });
  const readAgain = () => queries.invalidateQueries({ queryKey: key });
  const remove = async (row: Delivery) => {
    try {
      await ok(api.DELETE("/api/reports/deliveries/{number}", { params: { path: { number: row.id } } }));
      toast("It goes out no more.", {
        action: {
          label: "Undo",
          onClick: () => {
            const { rhythm, threshold, to, kinds, note, is_on } = row;
            void ok(
              api.POST("/api/reports/{number}/deliveries", {
                params: { path: { number: report } },
                body: { rhythm, threshold, to, kinds, note, is_on },
              }),
            ).then(readAgain);
          },
        },
      });
      await readAgain();
    } catch (problem) {
      toast.error(sentence(problem));
    }
  };
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return null;
  return (
    <section aria-label="Deliveries" className="mt-3 rounded-card border border-line bg-sheet px-3.5 py-2.5">
      {data.map((row) =>
        editing === row.id ? (
          <DeliveryForm
            key={row.id}
            report={report}
            row={row}
            shown={shown}
            onDone={() => {
              setEditing(null);
              void readAgain();
            }}
          />
        ) : (
          <Row key={row.id} row={row} shown={shown} onEdit={() => setEditing(row.id)} onRemove={() => void remove(row)} />
        ),
      )}
      {editing === "new" ? (
        <DeliveryForm
          report={report}
          row={null}
          shown={shown}
          onDone={() => {
            setEditing(null);
            void readAgain();
          }}
        />
      ) : (
        <Button onClick={() => setEditing("new")}>{data.length === 0 ? "Send it by mail…" : "Send it to others too…"}</Button>
      )}
    </section>
  );
}

function Row({ row, shown, onEdit, onRemove }: { row: Delivery; shown: Shown; onEdit: () => void; onRemove: () => void }) {
  const now = useNow();
  const measure = row.threshold ? shown.measures[row.threshold.figure] : undefined;
  return (
    <div className="mb-2 flex flex-wrap items-start gap-x-6 gap-y-1 border-b border-line pb-2">
      <p className="min-w-[280px] flex-1">
        {row.is_on ? "Goes out" : "Would go out"} <b>{row.says}</b> to <b>{row.to.join(", ")}</b> as{" "}
        <b>{row.kinds.map((kind) => kind.toUpperCase()).join(" and ")}</b>
        {row.threshold && measure ? (
          <>
            , only when {measure.label} is {row.threshold.op === ">" ? "above" : "below"}{" "}
            <b>
              {shownOf(row.threshold.value, measure.unit)} {unitOf(measure.unit)}
            </b>
          </>
        ) : null}
        . {row.is_on ? <span className="text-ink-2">Next {when(row.next_s, now)}.</span> : <span className="text-rust">It is paused.</span>}
        {row.note ? <span className="block text-ink-2">“{row.note}”</span> : null}
      </p>
      <ol aria-label="What went out" className="flex flex-wrap gap-3 text-[13px]">
        {[...row.sent].reverse().map((one) => (
          <li key={one.due_s} className="text-center" title={`${one.is_sent ? `Sent to ${one.to.join(", ")}` : "Not sent"}: ${one.says}`}>
            <span
              className={`mx-auto block h-[14px] w-[14px] rounded-full ${one.is_sent ? "bg-sea" : "border border-dashed border-ink-2"}`}
              aria-hidden="true"
            />
            <span className="text-ink-2">{when(one.due_s, now)}</span>
            <span className="sr-only">
              {one.is_sent ? "sent" : "not sent"}: {one.says}
            </span>
          </li>
        ))}
      </ol>
      <p className="flex gap-3 text-[13px]">
        <button type="button" className="min-h-[24px] underline" onClick={onEdit}>
          change
        </button>
        <button type="button" className="min-h-[24px] underline" onClick={onRemove}>
          remove
        </button>
      </p>
    </div>
  );
}

function DeliveryForm({ report, row, shown, onDone }: { report: number; row: Delivery | null; shown: Shown; onDone: () => void }) {
  const { me } = useSession();
  const [body, setBody] = useState<Body>(() =>
    row
      ? { rhythm: row.rhythm, threshold: row.threshold, to: row.to, kinds: row.kinds, note: row.note, is_on: row.is_on }
      : {
          rhythm: { every: "week", at: "07:00", zone: me?.zone ?? shown.zone, weekdays: [1], day: 1 },
          threshold: null,
          to: me?.email ? [me.email] : [],
          kinds: ["pdf", "xlsx"],
          note: "",
          is_on: true,
        },
  );
  const [to, setTo] = useState(body.to.join(", "));
  const [problem, setProblem] = useState("");
  const [isBusy, setBusy] = useState(false);
  const { rhythm, threshold } = body;
  const set = (some: Partial<Body>) => setBody({ ...body, ...some });
  const setRhythm = (some: Partial<Body["rhythm"]>) => set({ rhythm: { ...rhythm, ...some } });
  const measure = threshold ? shown.measures[threshold.figure] : undefined;
  const send = async () => {
    setBusy(true);
    setProblem("");
    try {
      const whole = { ...body, to: addressesOf(to) };
      const done = row
        ? await ok(
            api.PUT("/api/reports/deliveries/{number}", { params: { path: { number: row.id } }, body: { ...whole, version: row.version } }),
          )
        : await ok(api.POST("/api/reports/{number}/deliveries", { params: { path: { number: report } }, body: whole }));
      toast(done.is_on ? `It goes out ${done.says}.` : "It is paused.");
      onDone();
    } catch (error) {
      setProblem(sentence(error));
      setBusy(false);
    }
  };
  return (
    <form
      className="mb-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (!isBusy) void send();
      }}
    >
      <p className="text-[17px] leading-[32px]">
        Send it every{" "}
        <PickOne
          label="How often"
          options={[
            { key: "day", name: "day" },
            { key: "week", name: "week" },
            { key: "month", name: "month" },
          ]}
          value={rhythm.every}
          onChange={(every) => setRhythm({ every })}
        />
        {rhythm.every === "week" ? (
          <>
            {" "}
            on{" "}
            <PickMany
              label="Weekdays"
              options={WEEKDAYS.map((name, index) => ({ key: String(index + 1), name }))}
              value={(rhythm.weekdays ?? []).map(String)}
              onChange={(days) => setRhythm({ weekdays: days.map(Number).sort((one, other) => one - other) })}
              placeholder="no day"
            />
          </>
        ) : null}
        {rhythm.every === "month" ? (
          <>
            {" "}
            on{" "}
            <PickOne
              label="Day of the month"
              options={Array.from({ length: 31 }, (_, index) => ({
                key: String(index + 1),
                name: index === 30 ? "the last day" : `day ${index + 1}`,
              }))}
              value={String(rhythm.day ?? 1)}
              onChange={(day) => setRhythm({ day: Number(day) })}
            />
          </>
        ) : null}{" "}
        at{" "}
        <input
          type="time"
          aria-label="Time"
          className="rounded-small border border-line-2 bg-sheet px-2 leading-normal"
          value={rhythm.at}
          onChange={(event) => event.target.value && setRhythm({ at: event.target.value })}
        />{" "}
        in <b>{rhythm.zone}</b>, as{" "}
        <PickMany label="Files" options={KINDS} value={body.kinds} onChange={(kinds) => set({ kinds })} placeholder="no file" />,{" "}
        <PickOne
          label="When it goes out"
          options={[
            { key: "always", name: "always" },
            ...shown.measures.flatMap((one, index) => [
              { key: `>${index}`, name: `only when ${one.label} is above` },
              { key: `<${index}`, name: `only when ${one.label} is below` },
            ]),
          ]}
          value={threshold ? `${threshold.op}${threshold.figure}` : "always"}
          onChange={(key) =>
            set({
              threshold: key === "always" ? null : { op: key.slice(0, 1), figure: Number(key.slice(1)), value: threshold?.value ?? 0 },
            })
          }
        />
        {threshold && measure ? (
          <>
            {" "}
            <input
              type="number"
              step="any"
              aria-label="Value"
              className="w-[90px] rounded-small border border-line-2 bg-sheet px-2 leading-normal"
              value={shownOf(threshold.value, measure.unit)}
              onChange={(event) => set({ threshold: { ...threshold, value: rawOf(event.target.valueAsNumber, measure.unit) } })}
            />{" "}
            {unitOf(measure.unit)}
          </>
        ) : null}
        .
      </p>
      <div className="grid grid-cols-2 gap-3 max-[900px]:grid-cols-1">
        <label>
          <span className="text-[13px] text-ink-2">To, addresses with commas between them</span>
          <input className={inputClass} value={to} onChange={(event) => setTo(event.target.value)} />
        </label>
        <label>
          <span className="text-[13px] text-ink-2">A note that stands first</span>
          <input className={inputClass} maxLength={500} value={body.note ?? ""} onChange={(event) => set({ note: event.target.value })} />
        </label>
      </div>
      <label className="mt-1 flex min-h-[24px] items-center gap-2">
        <input type="checkbox" checked={body.is_on ?? true} onChange={(event) => set({ is_on: event.target.checked })} />
        It goes out; what is confidential is never counted in it
      </label>
      {problem ? <ErrorNote>{problem}</ErrorNote> : null}
      <p className="mt-2 flex gap-2">
        <Button tone="sea" type="submit" disabled={isBusy}>
          {row ? "Save" : "Send it so"}
        </Button>
        <Button onClick={onDone}>Cancel</Button>
      </p>
    </form>
  );
}
