import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { exact, span, when } from "../../parts/time";
import { ErrorNote, Loading } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { HelpBar } from "./HelpBar";
import { SameWords } from "./SameWords";

type Found = components["schemas"]["UpkeepShape"];
type Wanting = Found["wanting"][number];

const DAY = 86_400;
const AHEAD = 190 * DAY;
const LOOKS: Record<string, string> = {
  disputed: "bg-rust-2",
  "review late": "bg-rust-2",
  "owner left": "bg-crown-2",
  "lost link": "bg-crown-2",
  "altered since": "bg-crown-2",
  "fixed since": "bg-crown-2",
  "review soon": "bg-crown-2",
  "translation behind": "bg-crown-2",
  stale: "border border-line-2",
};
const SAID: Record<string, string> = {
  disputed: "disputed",
  "review late": "review late",
  "owner left": "no owner",
  "lost link": "link leads nowhere",
  "altered since": "altered since",
  "fixed since": "fixed since",
  "review soon": "review soon",
  "translation behind": "translation behind",
  stale: "stale",
};

interface UpkeepProps {
  onWrite: ((words: string) => void) | undefined;
}

/** What keeps knowledge true: what was sought in vain, what saves tickets, and which articles want a hand. */
export function Upkeep({ onWrite }: UpkeepProps) {
  const { data, error } = useQuery({
    queryKey: ["articles", "upkeep"],
    queryFn: () => ok(api.GET("/api/articles/upkeep")),
    staleTime: 30_000,
  });
  if (error) return <ErrorNote>{sentence(error)}</ErrorNote>;
  if (!data) return <Loading what="what wants a hand" />;
  return (
    <>
      <div className="grid grid-cols-2 gap-3 max-[860px]:grid-cols-1">
        <Sought found={data} onWrite={onWrite} />
        <Saved found={data} />
      </div>
      <Wants found={data} />
      <SameWords suggested={data.same} />
    </>
  );
}

function Sought({ found, onWrite }: { found: Found; onWrite: UpkeepProps["onWrite"] }) {
  const most = Math.max(1, ...found.not_found.map((one) => one.people));
  return (
    <section aria-label="Searched for, not found" className="rounded-card border border-line bg-sheet">
      <h2 className="px-3.5 py-1.5 font-bold">
        Searched for, not found <span className="ml-1 text-[13px] font-normal text-ink-2">people in 30 days; dark: then a ticket</span>
      </h2>
      {found.not_found.length === 0 ? (
        <p className="border-t border-line px-3.5 py-2 text-ink-2">All that was searched for was found.</p>
      ) : null}
      <ul>
        {found.not_found.map((one) => (
          <li
            key={one.words}
            className="grid grid-cols-[minmax(0,1fr)_minmax(60px,110px)_110px_56px] items-center gap-2 border-t border-line px-3.5 py-1"
          >
            <span className="truncate">“{one.words}”</span>
            <span className="relative block h-[10px]" aria-hidden="true">
              <span className="absolute h-full rounded-sm bg-line-2" style={{ width: `${(one.people / most) * 100}%` }} />
              <span className="absolute h-full rounded-sm bg-sea" style={{ width: `${(one.asked / most) * 100}%` }} />
            </span>
            <span className="text-[13px]">
              <b>{one.people}</b>, {one.asked} asked us
            </span>
            {onWrite ? (
              <button type="button" className="min-h-[24px] text-[13px] underline" onClick={() => onWrite(one.words)}>
                write it
              </button>
            ) : null}
          </li>
        ))}
      </ul>
    </section>
  );
}

function Saved({ found }: { found: Found }) {
  const most = Math.max(1, ...found.saved.map((one) => one.saved));
  const shown = found.saved.reduce((sum, one) => sum + one.saved, 0);
  return (
    <section aria-label="Saved tickets" className="self-start rounded-card border border-line bg-sheet">
      <h2 className="px-3.5 py-1.5 font-bold">
        Saved tickets <span className="ml-1 text-[13px] font-normal text-ink-2">found and read, no ticket on it within 24 hours</span>
      </h2>
      {found.saved.length === 0 ? <p className="border-t border-line px-3.5 py-2 text-ink-2">None in the last 30 days.</p> : null}
      <ul>
        {found.saved.map((one) => (
          <li key={one.id} className="grid grid-cols-[minmax(0,1fr)_110px_44px] items-center gap-2 border-t border-line px-3.5 py-1">
            <Link to={`/desk/articles/${one.id}`} className="truncate hover:underline">
              <span className="font-mono text-[13px] text-ink-2">{one.id}</span> {one.title}
            </Link>
            <span className="block h-[10px] rounded-sm bg-sea" style={{ width: `${(one.saved / most) * 100}%` }} aria-hidden="true" />
            <b className="text-right tabular-nums">{one.saved}</b>
          </li>
        ))}
      </ul>
      {found.saved.length > 0 ? (
        <p className="flex justify-between border-t border-line px-3.5 py-1 text-[13px] text-ink-2">
          these {found.saved.length} of {found.published} articles{" "}
          <b className="text-ink">
            {shown} of {found.saved_count}
          </b>
        </p>
      ) : null}
    </section>
  );
}

function Wants({ found }: { found: Found }) {
  return (
    <section aria-label="Articles that want a hand" className="mt-3 overflow-x-auto rounded-card border border-line bg-sheet" tabIndex={0}>
      <table className="w-full min-w-[760px]">
        <thead>
          <tr className="text-[13px] text-ink-2">
            <th scope="col" className="px-3.5 py-1.5 text-left font-normal">
              <span className="text-[15px] font-bold text-ink">Articles that want a hand</span>{" "}
              <span className="ml-1">
                {found.wanting_count} of {found.published}
                {found.waiting > 0 ? ` · ${found.waiting} waiting for review` : ""}
              </span>
            </th>
            <th scope="col" className="px-2 text-right font-normal">
              read a week
            </th>
            <th scope="col" className="w-[170px] px-2 text-left font-normal">
              it helped: none to all
            </th>
            <th scope="col" className="px-2 text-right font-normal" />
            <th scope="col" className="w-[190px] px-3.5 text-left font-normal">
              its review
            </th>
            <th scope="col" className="w-[110px] px-3.5 text-left font-normal">
              <span className="sr-only">what to do</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {found.wanting.map((one) => (
            <tr key={one.id} className="border-t border-line">
              <td className="px-3.5 py-1.5">
                <Link to={`/desk/articles/${one.id}`} className="font-semibold hover:underline">
                  <span className="font-mono text-[13px] font-normal text-ink-2">{one.id}</span> {one.title}
                </Link>
                <p className="flex flex-wrap gap-x-2 text-[13px] text-ink-2">
                  {one.why.map((why) => (
                    <span key={`${why.what} ${why.note}`}>
                      <span className={`rounded-small px-1.5 font-semibold text-ink ${LOOKS[why.what] ?? ""}`}>{SAID[why.what]}</span>{" "}
                      {why.note}
                    </span>
                  ))}
                </p>
              </td>
              <td className="px-2 text-right font-semibold tabular-nums">{one.a_week}</td>
              <td className="px-2">
                <HelpBar helped={one.helped} notHelped={one.not_helped} low={one.low} high={one.high} />
              </td>
              <td className="whitespace-nowrap px-2 text-right text-[13px] tabular-nums">
                {one.helped + one.not_helped > 0 ? `${one.helped} of ${one.helped + one.not_helped}` : "–"}
              </td>
              <td className="px-3.5">
                <Review one={one} now={found.now_s} />
              </td>
              <td className="px-3.5">
                <Act one={one} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {found.wanting.length === 0 ? (
        <p className="border-t border-line px-3.5 py-2 text-ink-2">None: all that is published is true, read and looked after.</p>
      ) : null}
      {found.alike.length > 0 ? (
        <p className="border-t border-line px-3.5 py-1.5 text-[13px] text-ink-2">
          Much the same:{" "}
          {found.alike.map((pair, at) => (
            <span key={`${pair.one}/${pair.other}`}>
              {at > 0 ? "; " : ""}
              <Link className="underline" to={`/desk/articles/${pair.one}`}>
                {pair.one}
              </Link>{" "}
              and{" "}
              <Link className="underline" to={`/desk/articles/${pair.other}`}>
                {pair.other}
              </Link>{" "}
              ({Math.round(pair.share * 100)} % of their words)
            </span>
          ))}
        </p>
      ) : null}
    </section>
  );
}

/** The one thing that ends what stands first: it is true, I look after it, mend it, answer. */
function Act({ one }: { one: Wanting }) {
  const { me } = useSession();
  const queries = useQueryClient();
  const [isBusy, setBusy] = useState(false);
  const what = one.why[0]?.what;
  if (!me?.is_on_desk) return null;
  const attempt = async (does: () => Promise<unknown>, said: string) => {
    if (isBusy) return;
    setBusy(true);
    try {
      await does();
      await queries.invalidateQueries({ queryKey: ["articles"] });
      toast(said);
    } catch (problem) {
      toast.error(sentence(problem));
    } finally {
      setBusy(false);
    }
  };
  const path = { params: { path: { number: one.id } } };
  const actClass = "min-h-[24px] text-[13px] underline disabled:opacity-55";
  if (what === "owner left")
    return (
      <button
        type="button"
        className={actClass}
        disabled={isBusy}
        onClick={() =>
          void attempt(
            () => ok(api.PUT("/api/articles/{number}/owner", { ...path, body: { person: me.id } })),
            `You look after ${one.id} now.`,
          )
        }
      >
        look after it
      </button>
    );
  const isForMending = what === "lost link" || what === "translation behind";
  if (isForMending || what === "disputed" || what === "stale" || what === "fixed since")
    return (
      <Link className="inline-block min-h-[24px] text-[13px] underline" to={`/desk/articles/${one.id}${isForMending ? "?write" : ""}`}>
        {what === "translation behind"
          ? "translate it"
          : what === "lost link"
            ? "mend it"
            : what === "disputed"
              ? "read why"
              : "look at it"}
      </Link>
    );
  return (
    <button
      type="button"
      className={actClass}
      disabled={isBusy}
      onClick={() =>
        void attempt(() => ok(api.POST("/api/articles/{number}/reviewed", path)), `${one.id} is reviewed: due again in half a year.`)
      }
    >
      still true
    </button>
  );
}

/** When it is reviewed, to scale over half a year: late on the left of now. */
function Review({ one, now }: { one: Wanting; now: number }) {
  if (one.review_s === null) return <span className="text-[13px] text-ink-2">no date</span>;
  const left = one.review_s - now;
  if (left < 0)
    return (
      <b className="text-[13px] text-rust" title={exact(one.review_s)}>
        {span(-left)} late
      </b>
    );
  const isSoon = left < 14 * DAY;
  return (
    <span className="flex items-center gap-2" title={exact(one.review_s)}>
      <span className="relative block h-[14px] w-[90px] border-l-2 border-ink" aria-hidden="true">
        <span
          className={`absolute top-[5px] h-[4px] ${isSoon ? "bg-crown" : "bg-sea-2"}`}
          style={{ width: `${Math.min(100, (left / AHEAD) * 100)}%` }}
        />
        <span
          className={`absolute top-0 h-[14px] w-[3px] ${isSoon ? "bg-crown" : "bg-sea"}`}
          style={{ left: `${Math.min(97, (left / AHEAD) * 100)}%` }}
        />
      </span>
      <span className="whitespace-nowrap text-[13px]">{when(one.review_s, now).replace(/ \d\d:\d\d$/u, "")}</span>
    </span>
  );
}
