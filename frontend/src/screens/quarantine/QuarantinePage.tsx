import { useInfiniteQuery, useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { useNow } from "../../parts/hooks";
import { exact, when } from "../../parts/time";
import { Button, Empty, ErrorNote, Loading, Switch } from "../../parts/ui";
import { Letter } from "./Letter";

const OF = [
  { key: "waiting", name: "Waiting" },
  { key: "dealt with", name: "Dealt with" },
] as const;
type Of = (typeof OF)[number]["key"];

/** Mail that came in and was not let in by itself: read it, let it in, or dismiss it. */
export function QuarantinePage() {
  const [params, setParams] = useSearchParams();
  const queries = useQueryClient();
  const now = useNow();
  const of: Of = params.get("of") === "dealt with" ? "dealt with" : "waiting";
  const open = params.get("mail") ? +(params.get("mail") ?? "") : null;
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const list = useInfiniteQuery({
    queryKey: ["quarantine", of],
    queryFn: ({ pageParam }) => ok(api.GET("/api/quarantine", { params: { query: { of, ...(pageParam ? { after: pageParam } : {}) } } })),
    initialPageParam: 0,
    getNextPageParam: (page) => page.next_after ?? undefined,
    refetchInterval: 15_000,
  });
  const messages = list.data?.pages.flatMap((page) => page.messages) ?? [];
  const waiting = list.data?.pages[0]?.waiting ?? 0;
  const show = (change: { of?: Of; mail?: number | null }) => {
    const next = new URLSearchParams(params);
    if (change.of) next.set("of", change.of);
    if (change.mail === null) next.delete("mail");
    else if (change.mail !== undefined) next.set("mail", String(change.mail));
    setParams(next, { replace: open !== null, preventScrollReset: true });
  };
  const readAgain = () => void queries.invalidateQueries({ queryKey: ["quarantine"] });
  const takeBack = useMutation({
    mutationFn: (ids: number[]) => ok(api.POST("/api/quarantine/wait-again", { body: { ids } })),
    onSuccess: (done) => {
      readAgain();
      toast(done.count === 1 ? "It waits again." : `${done.count} wait again.`);
    },
    onError: (error) => toast.error(sentence(error)),
  });
  const dismiss = useMutation({
    mutationFn: (ids: number[]) => ok(api.POST("/api/quarantine/dismiss", { body: { ids } })),
    onSuccess: (done, ids) => {
      readAgain();
      setChosen(new Set());
      const at = messages.findIndex((one) => one.id === open);
      if (open !== null && ids.includes(open)) {
        const left = messages.filter((one) => !ids.includes(one.id));
        show({ mail: left[Math.min(at, left.length - 1)]?.id ?? null });
      }
      toast(done.count === 1 ? "Dismissed." : `${done.count} dismissed.`, {
        action: { label: "Undo", onClick: () => takeBack.mutate(ids) },
      });
    },
    onError: (error) => toast.error(sentence(error)),
  });
  const isWaiting = of === "waiting";
  return (
    <div className="mx-auto max-w-[1360px] px-5 pb-10 pt-4">
      <div className="mb-3 flex flex-wrap items-baseline gap-x-4 gap-y-2">
        <h1 className="text-[21px] font-bold">Quarantined mail</h1>
        <p className="text-ink-2">What came in and was not let in by itself, with why. Nobody was told; nothing is lost.</p>
        <span className="ml-auto">
          <Switch
            label="Which"
            value={of}
            choices={OF.map((one) => ({ key: one.key, name: one.key === "waiting" && waiting ? `Waiting ${waiting}` : one.name }))}
            onChoose={(key) => {
              setChosen(new Set());
              setParams(key === "waiting" ? {} : { of: key });
            }}
          />
        </span>
      </div>
      {list.error ? <ErrorNote>{sentence(list.error)}</ErrorNote> : null}
      {list.isPending ? <Loading what="the mail" /> : null}
      {list.data && messages.length === 0 ? (
        <Empty title={isWaiting ? "No mail is quarantined" : "Nothing has been dealt with yet"}>
          Mail of unknown senders, of senders marked as not ours, loops, and what could not be read comes here.
        </Empty>
      ) : null}
      {messages.length > 0 ? (
        <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1.15fr)] gap-4 max-[900px]:grid-cols-1">
          <div>
            {chosen.size > 0 ? (
              <div className="mb-2 flex items-center gap-3 rounded-card bg-crown-2 px-3 py-1.5">
                <b>{chosen.size} chosen</b>
                <Button disabled={dismiss.isPending} onClick={() => dismiss.mutate([...chosen])}>
                  Dismiss {chosen.size}
                </Button>
                <Button tone="quiet" onClick={() => setChosen(new Set())}>
                  Choose none
                </Button>
              </div>
            ) : null}
            <ul className="overflow-hidden rounded-card border border-line bg-sheet" aria-label="Messages">
              {messages.map((mail) => (
                <li key={mail.id} className={`flex border-b border-line last:border-b-0 ${mail.id === open ? "bg-sea-3" : ""}`}>
                  {isWaiting ? (
                    <input
                      type="checkbox"
                      className="m-3 mr-0 h-[18px] w-[18px] shrink-0"
                      aria-label={`Choose “${mail.subject || "no subject"}”`}
                      checked={chosen.has(mail.id)}
                      onChange={() => {
                        const next = new Set(chosen);
                        if (!next.delete(mail.id)) next.add(mail.id);
                        setChosen(next);
                      }}
                    />
                  ) : null}
                  <button
                    type="button"
                    aria-current={mail.id === open ? "true" : undefined}
                    onClick={() => show({ mail: mail.id })}
                    className="grid min-w-0 flex-1 grid-cols-[minmax(0,1fr)_auto] gap-x-3 px-3.5 py-2 text-left hover:bg-sea-3/50"
                  >
                    <span className="truncate font-semibold">{mail.subject || "(no subject)"}</span>
                    <span className="text-[13px] text-ink-2" title={exact(mail.at_s)}>
                      {when(mail.at_s, now)}
                    </span>
                    <span className="truncate text-[13px] text-ink-2">{mail.sender || "no sender"}</span>
                    <span className="text-[13px] text-ink-2">{mail.handled_how ? `${mail.handled_how}, ${mail.handled_by}` : ""}</span>
                    <span className="col-span-2 truncate text-[13px]">{mail.why}</span>
                  </button>
                </li>
              ))}
            </ul>
            {list.hasNextPage ? (
              <div className="p-3 text-center">
                <Button onClick={() => void list.fetchNextPage()}>Older</Button>
              </div>
            ) : null}
          </div>
          <div>
            {open === null ? (
              <p className="px-3 py-2 text-ink-2">Choose a message to read it.</p>
            ) : (
              <Letter
                key={open}
                number={open}
                onDismiss={() => dismiss.mutate([open])}
                onTakeBack={() => takeBack.mutate([open])}
                onLetIn={(ticket) => {
                  readAgain();
                  show({ mail: null });
                  toast(
                    <span>
                      Let in:{" "}
                      <Link className="underline" to={`/desk/tickets/${ticket}`}>
                        {ticket}
                      </Link>
                    </span>,
                  );
                }}
              />
            )}
          </div>
        </div>
      ) : null}
    </div>
  );
}
