import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { toast } from "sonner";
import { api, type MyThing, ok, type Outage, sentence } from "../../api/client";
import { heedServerTime, useDebounced, useDraft, useNow } from "../../parts/hooks";
import { OfferIcon } from "../../parts/OfferIcon";
import { when } from "../../parts/time";
import { ErrorNote, Loading } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { useBasket } from "./basket";
import { price } from "../../parts/Offer";
import { REPORT_EMPTY } from "./report";
import { soundsBroken } from "./soundsBroken";
import { OutageLine, StepPath, whoHasIt } from "./parts";

/** One question; everything that fits is offered while typing. */
export function HomePage() {
  const { me } = useSession();
  const navigate = useNavigate();
  const draft = useDraft("report", REPORT_EMPTY);
  const words = draft.body.title;
  const late = useDebounced(words.trim(), 220);
  const now = useNow();
  const home = useQuery({
    queryKey: ["portal"],
    queryFn: async () => {
      const found = await ok(api.GET("/api/portal"));
      heedServerTime(found.now_s);
      return found;
    },
  });
  const offers = useQuery({
    queryKey: ["offers", late],
    queryFn: () => ok(api.GET("/api/portal/offers", { params: { query: { text: late } } })),
    enabled: late.length > 2,
    placeholderData: keepPreviousData,
  });
  const isAsking = words.trim().length > 2;
  const report = (service: number | null) => {
    draft.set({ service: service ? String(service) : "" });
    void navigate("/report");
  };
  const isBroken = soundsBroken(words);
  const reports = offers.data?.services.map((service) => (
    <li key={`s${service.id}`}>
      <button
        type="button"
        onClick={() => report(service.id)}
        className="flex w-full items-center gap-4 border-b border-line px-4 py-3 text-left hover:bg-sea-3"
      >
        <span className="w-[104px] shrink-0 text-[14px] text-ink-2 max-[560px]:hidden">report</span>
        <span className="min-w-0 flex-1">
          <b>Report a problem with {service.name}</b>
          <span className="block text-[14px] text-ink-2">{service.plain}</span>
        </span>
        <span className="font-bold text-sea">Report</span>
      </button>
    </li>
  ));
  const open = home.data?.things.filter((thing) => thing.is_open) ?? [];
  const done = home.data?.things.filter((thing) => !thing.is_open) ?? [];

  return (
    <div className="pt-8">
      <div className="grid grid-cols-[minmax(0,740px)_minmax(0,1fr)] gap-10 max-[960px]:grid-cols-1">
        <div>
          <h1 className="mb-4 text-[28px] font-bold leading-tight">
            <label htmlFor="need">What do you need, {me?.name.split(" ")[0]}?</label>
          </h1>
          <input
            id="need"
            autoComplete="off"
            maxLength={10_000}
            value={words}
            placeholder="Tell us in your own words"
            className="w-full rounded-card border-2 border-ink bg-sheet px-4 py-3 text-[17px]"
            onChange={(event) => draft.set({ title: event.target.value })}
            onKeyDown={(event) => {
              if (event.key === "Enter" && isAsking) report(offers.data?.services[0]?.id ?? null);
            }}
          />
          {isAsking ? (
            <ul className="mt-2.5 overflow-hidden rounded-card border border-line bg-sheet" aria-label="What fits" aria-live="polite">
              {offers.data?.outages.map((outage) => (
                <li key={`o${outage.id}`} className="flex items-center gap-4 border-b border-line bg-rust-2 px-4 py-3">
                  <span className="w-[104px] shrink-0 text-[14px] text-ink-2 max-[560px]:hidden">known issue</span>
                  <OutageLine outage={outage} now={now} />
                </li>
              ))}
              {offers.data?.things.map((thing) => (
                <li key={`t${thing.id}`}>
                  <Link to={`/my/${thing.id}`} className="flex items-center gap-4 border-b border-line px-4 py-3 hover:bg-sea-3">
                    <span className="w-[104px] shrink-0 text-[14px] text-ink-2 max-[560px]:hidden">yours already</span>
                    <span className="min-w-0 flex-1">
                      <b>{thing.title}</b>
                      <span className="block text-[14px] text-ink-2">
                        {thing.kind} {thing.id} · {whoHasIt(thing)}
                      </span>
                    </span>
                    <span className="font-bold text-sea">Look</span>
                  </Link>
                </li>
              ))}
              {offers.data?.articles.map((article) => (
                <li key={`a${article.id}`}>
                  <Link
                    to={`/articles/${article.id}?found=1`}
                    className="flex items-center gap-4 border-b border-line px-4 py-3 hover:bg-sea-3"
                  >
                    <span className="w-[104px] shrink-0 text-[14px] text-ink-2 max-[560px]:hidden">answer</span>
                    <span className="min-w-0 flex-1">
                      <b>{article.title}</b>
                      <span className="block truncate text-[14px] text-ink-2">{article.starts}</span>
                    </span>
                    <span className="font-bold text-sea">Read</span>
                  </Link>
                </li>
              ))}
              {isBroken ? reports : null}
              {offers.data?.items.map((item) => (
                <li key={`i${item.key}`}>
                  <Link to={`/ask/${item.key}`} className="flex items-center gap-4 border-b border-line px-4 py-3 hover:bg-sea-3">
                    <span className="w-[104px] shrink-0 text-[14px] text-ink-2 max-[560px]:hidden">request</span>
                    <OfferIcon icon={item.icon} />
                    <span className="min-w-0 flex-1">
                      <b>{item.name}</b>
                      <span className="block text-[14px] text-ink-2">
                        {item.plain} · {item.is_bundle ? "from " : ""}
                        {price(item.once_pence, item.monthly_pence)}
                      </span>
                    </span>
                    <span className="font-bold text-sea">Request</span>
                  </Link>
                </li>
              ))}
              {isBroken ? null : reports}
              <li>
                <button
                  type="button"
                  onClick={() => report(null)}
                  className="flex w-full items-center gap-4 px-4 py-3 text-left hover:bg-sea-3"
                >
                  <span className="w-[104px] shrink-0 text-[14px] text-ink-2 max-[560px]:hidden">report</span>
                  <span className="min-w-0 flex-1">
                    <b>None of these, or I do not know</b>
                    <span className="block text-[14px] text-ink-2">The desk finds out what it belongs to.</span>
                  </span>
                  <span className="font-bold text-sea">Report</span>
                </button>
              </li>
            </ul>
          ) : null}
          <p className="mt-2">
            or{" "}
            <Link to="/articles" className="inline-block min-h-[24px] underline">
              look through all answers, by subject
            </Link>
          </p>
        </div>
        <aside aria-label="Known issues" className="flex flex-col gap-3 pt-1">
          <h2 className="font-bold">Known issues</h2>
          {home.data?.outages.length === 0 ? <p className="text-ink-2">Nothing is known to be broken.</p> : null}
          {home.data?.outages.map((outage) => (
            <div key={outage.id} className="rounded-card border border-rust/30 bg-rust-2 px-4 py-3">
              <OutageLine outage={outage} now={now} />
              <HitToo outage={outage} />
            </div>
          ))}
          {home.data?.news.map((one) => (
            <article key={one.id} className="rounded-card border border-line bg-sheet px-4 py-3">
              <h3 className="font-bold">{one.title}</h3>
              {one.html ? (
                <div className="marked text-[14px]" dangerouslySetInnerHTML={{ __html: one.html }} />
              ) : (
                <p className="whitespace-pre-wrap text-[14px]">{one.text}</p>
              )}
              <p className="mt-1 text-[13px] text-ink-2">until {when(one.to_s, now)}</p>
            </article>
          ))}
        </aside>
      </div>
      <ToDecide />
      <h2 className="mb-3 mt-9 text-[17px] font-bold">My requests</h2>
      {home.error ? <ErrorNote>{sentence(home.error)}</ErrorNote> : null}
      {home.isPending ? <Loading what="your things" /> : null}
      {home.data && home.data.things.length === 0 ? <p className="text-ink-2">You have requested nothing yet.</p> : null}
      <ul className="flex flex-col gap-2.5">
        {open.map((thing) => (
          <Thing key={thing.id} thing={thing} now={now} />
        ))}
      </ul>
      {home.data && home.data.shared.length > 0 ? (
        <>
          <h2 className="mb-3 mt-9 text-[17px] font-bold">Shared with me</h2>
          <ul className="flex flex-col gap-2.5">
            {home.data.shared.map((thing) => (
              <Thing key={thing.id} thing={thing} now={now} />
            ))}
          </ul>
        </>
      ) : null}
      {isAsking ? null : <Catalogue />}
      {done.length > 0 ? (
        <details className="mt-4">
          <summary className="cursor-pointer text-ink-2">Done: {done.length}</summary>
          <ul className="mt-2 flex flex-col gap-2.5">
            {done.map((thing) => (
              <Thing key={thing.id} thing={thing} now={now} />
            ))}
          </ul>
        </details>
      ) : null}
    </div>
  );
}

/** What waits for a decision of mine: first, for somebody else waits on it. */
function ToDecide() {
  const { data } = useQuery({ queryKey: ["approvals"], queryFn: () => ok(api.GET("/api/approvals")) });
  if (!data || data.length === 0) return null;
  return (
    <Link to="/approvals" className="mt-6 flex items-center gap-3 rounded-card border border-crown bg-crown-2 px-5 py-3 hover:border-sea">
      <span className="min-w-0 flex-1">
        <b>{data.length === 1 ? "One thing waits for your decision" : `${data.length} things wait for your decision`}</b>
        <span className="block truncate text-[14px] text-ink-2">
          {data.map((one) => `${one.ticket_title} (${one.asked_by})`).join(" · ")}
        </span>
      </span>
      <span className="font-bold text-sea">Decide</span>
    </Link>
  );
}

/** Everything one may ask for, by what one wants to do. */
function Catalogue() {
  const { data } = useQuery({ queryKey: ["catalogue"], queryFn: () => ok(api.GET("/api/catalogue")), staleTime: 60_000 });
  const basket = useBasket();
  const [open, setOpen] = useState("");
  if (!data || data.length === 0) return null;
  const groups = [...new Set(data.map((offer) => offer.group))];
  return (
    <section aria-label="Request something" className="mt-9">
      <div className="mb-3 flex items-baseline gap-4">
        <h2 className="text-[17px] font-bold">Request something</h2>
        {basket.lines.length > 0 ? (
          <Link to="/basket" className="text-sea underline">
            Basket: {basket.lines.length}
          </Link>
        ) : null}
      </div>
      <ul className="grid grid-cols-3 items-start gap-2.5 max-[960px]:grid-cols-2 max-[560px]:grid-cols-1">
        {groups.map((group) => {
          const offers = data.filter((offer) => offer.group === group);
          const isOpen = open === group;
          return (
            <li key={group} className={`rounded-card border bg-sheet ${isOpen ? "border-sea" : "border-line"}`}>
              <button
                type="button"
                aria-expanded={isOpen}
                className="flex min-h-[52px] w-full items-center gap-3 px-4 py-2.5 text-left"
                onClick={() => setOpen(isOpen ? "" : group)}
              >
                <OfferIcon icon={offers[0]?.icon ?? ""} />
                <b className="flex-1">{group}</b>
                <span className="text-[14px] text-ink-2">{offers.length}</span>
              </button>
              {isOpen ? (
                <ul className="border-t border-line py-1">
                  {offers.map((offer) => (
                    <li key={offer.key}>
                      <Link to={`/ask/${offer.key}`} className="flex items-baseline gap-3 px-4 py-2 hover:bg-sea-3">
                        <span className="min-w-0 flex-1">
                          <b className="font-semibold">{offer.name}</b>
                          <span className="block text-[14px] text-ink-2">{offer.plain}</span>
                        </span>
                        <span className="shrink-0 text-[14px] text-ink-2">
                          {offer.once_pence || offer.monthly_pence
                            ? `${offer.is_bundle ? "from " : ""}${price(offer.once_pence, offer.monthly_pence)}`
                            : ""}
                        </span>
                      </Link>
                    </li>
                  ))}
                </ul>
              ) : null}
            </li>
          );
        })}
      </ul>
    </section>
  );
}

/** An outage hits me too: one click, and I hear when it is over. */
function HitToo({ outage }: { outage: Outage }) {
  const queries = useQueryClient();
  const others = outage.hits - (outage.hits_me ? 1 : 0);
  const hit = async () => {
    try {
      await ok(api.POST("/api/portal/outages/{number}/hit", { params: { path: { number: outage.id } } }));
      await queries.invalidateQueries({ queryKey: ["portal"] });
      toast("You hear when it is over.");
    } catch (error) {
      toast.error(sentence(error));
    }
  };
  return (
    <p className="mt-1.5 text-[14px]">
      {outage.hits_me ? (
        <b>It hits you too{others > 0 ? ` and ${others} more` : ""}: you hear when it is over.</b>
      ) : (
        <>
          <button type="button" className="min-h-[24px] font-bold text-sea underline" onClick={() => void hit()}>
            This affects me too
          </button>
          {outage.hits > 0 ? ` · ${outage.hits} so far` : ""}
        </>
      )}
    </p>
  );
}

function Thing({ thing, now }: { thing: MyThing; now: number }) {
  return (
    <li>
      <Link
        to={`/my/${thing.id}`}
        className={`flex items-center gap-6 rounded-card border bg-sheet px-5 py-3.5 hover:border-sea max-[820px]:flex-col max-[820px]:items-stretch max-[820px]:gap-3 ${thing.is_waiting_for_me ? "border-crown" : "border-line"}`}
      >
        <span className="w-[360px] min-w-0 max-[1100px]:w-[260px] max-[820px]:w-auto">
          <b className="block truncate">{thing.title}</b>
          <span className="text-[14px] text-ink-2">
            {thing.kind} {thing.id} · {thing.kind === "request" ? "asked" : "reported"} {when(thing.opened_s, now)}
          </span>
        </span>
        <StepPath steps={thing.path} />
        <span className="w-[210px] text-right max-[820px]:w-auto max-[820px]:text-left">
          <span className="block text-[14px] text-ink-2">
            {whoHasIt(thing)}
            {thing.is_open ? <span className="whitespace-nowrap">, since {when(thing.since_s, now)}</span> : null}
          </span>
          {thing.is_waiting_for_me ? (
            <b>waits for your answer</b>
          ) : thing.is_open && thing.fix_due_s ? (
            <b>
              {thing.fix_due_s > now
                ? `should be ${thing.kind === "request" ? "there" : "solved"} by ${when(thing.fix_due_s, now)}`
                : "later than agreed"}
            </b>
          ) : null}
        </span>
      </Link>
    </li>
  );
}
