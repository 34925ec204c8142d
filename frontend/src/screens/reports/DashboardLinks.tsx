import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { useNow } from "../../parts/hooks";
import { exact, when } from "../../parts/time";
import { Button, Dialog, ErrorNote, Field, inputClass, Loading } from "../../parts/ui";
import type { Dashboard } from "./board";

type Links = components["schemas"]["DashboardLinkShape"][];

const DAYS = [
  { key: 1, name: "for a day" },
  { key: 7, name: "for a week" },
  { key: 30, name: "for 30 days" },
  { key: 365, name: "for a year" },
];

/** Links that show a dashboard to people without an account: made, ended, and who opened them. */
export function DashboardLinks({ dashboard, onClose }: { dashboard: Dashboard; onClose: () => void }) {
  const now = useNow();
  const queries = useQueryClient();
  const [days, setDays] = useState(30);
  const [note, setNote] = useState("");
  const [made, setMade] = useState("");
  const [isBusy, setBusy] = useState(false);
  const key = ["reports", "dashboards", dashboard.id, "links"];
  const path = { number: dashboard.id };
  const { data, error } = useQuery({ queryKey: key, queryFn: () => ok(api.GET("/api/dashboards/{number}/links", { params: { path } })) });
  const attempt = async (does: () => Promise<void>) => {
    if (isBusy) return;
    setBusy(true);
    try {
      await does();
      await queries.invalidateQueries({ queryKey: key });
    } catch (failed) {
      toast.error(sentence(failed));
    } finally {
      setBusy(false);
    }
  };
  const make = () =>
    attempt(async () => {
      const link = await ok(api.POST("/api/dashboards/{number}/links", { params: { path }, body: { days, note } }));
      setMade(`${window.location.origin}${link.path}`);
      setNote("");
    });
  const end = (link: number) =>
    attempt(async () => {
      await ok(api.DELETE("/api/dashboards/{number}/links/{link}", { params: { path: { ...path, link } } }));
      toast("The link opens nothing any more.");
    });
  return (
    <Dialog title="Links for people without an account" about={dashboard.name} isOpen onClose={onClose}>
      <p className="text-ink-2">
        Whoever has the link sees this dashboard with your eyes, without anything confidential, and can press nothing. It ends by itself, or
        when you end it; each visit is written down.
      </p>
      <form
        className="mt-3 flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          void make();
        }}
      >
        <Field label="How long">
          {(props) => (
            <select {...props} className={inputClass} value={days} onChange={(event) => setDays(+event.target.value)}>
              {DAYS.map((one) => (
                <option key={one.key} value={one.key}>
                  {one.name}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="For whom, for your own memory">
          {(props) => (
            <input {...props} className={inputClass} maxLength={120} value={note} onChange={(event) => setNote(event.target.value)} />
          )}
        </Field>
        <Button type="submit" tone="sea" disabled={isBusy}>
          Make a link
        </Button>
      </form>
      {made ? (
        <p className="mt-2 rounded-small bg-note px-3 py-2" role="status">
          Copy it now; it is not shown again.{" "}
          <input
            readOnly
            aria-label="The link"
            className={`${inputClass} mt-1 font-mono`}
            value={made}
            onFocus={(event) => event.target.select()}
          />
        </p>
      ) : null}
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {!data && !error ? <Loading what="the links" /> : null}
      {data ? <Made links={data} now={now} isBusy={isBusy} onEnd={(link) => void end(link)} /> : null}
    </Dialog>
  );
}

interface MadeProps {
  links: Links;
  now: number;
  isBusy: boolean;
  onEnd: (link: number) => void;
}

function Made({ links, now, isBusy, onEnd }: MadeProps) {
  if (links.length === 0) return <p className="mt-3 text-ink-2">No link has been made yet.</p>;
  return (
    <ul className="mt-3 max-h-[40vh] overflow-y-auto" aria-label="Links" tabIndex={0}>
      {links.map((link) => (
        <li key={link.id} className="border-t border-line py-1.5">
          <div className="flex flex-wrap items-baseline gap-2">
            <b>{link.note || "a link"}</b>
            <span className="text-ink-2" title={exact(link.until_s)}>
              {link.ended_s !== null
                ? `ended ${when(link.ended_s, now)}`
                : link.is_open
                  ? `until ${when(link.until_s, now)}`
                  : `ran out ${when(link.until_s, now)}`}
            </span>
            {link.is_open ? (
              <button type="button" className="ml-auto min-h-[24px] underline" disabled={isBusy} onClick={() => onEnd(link.id)}>
                End it
              </button>
            ) : null}
          </div>
          {link.openings.length === 0 ? <p className="text-[13px] text-ink-2">nobody has opened it</p> : null}
          {link.openings.slice(0, 5).map((one) => (
            <p key={one.first_s} className="text-[13px] text-ink-2" title={`${exact(one.first_s)} to ${exact(one.last_s)}`}>
              opened from {one.address} {when(one.first_s, now)}
              {one.times > 1 ? `, looked ${one.times} times until ${when(one.last_s, now)}` : ""}
            </p>
          ))}
          {link.openings.length > 5 ? <p className="text-[13px] text-ink-2">and {link.openings.length - 5} visits before</p> : null}
        </li>
      ))}
    </ul>
  );
}
