import { useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, ok, sentence } from "../../api/client";
import { useDebounced } from "../../parts/hooks";
import { when } from "../../parts/time";
import { Button, Empty, ErrorNote, inputClass, Loading } from "../../parts/ui";
import { useSession } from "../../shell/session";
import { ChangeItems } from "./ChangeItems";
import { NewItem } from "./NewItem";

const MOST_AT_ONCE = 500;

/** All configuration items: searched, filtered, a page at a time; what is filtered stands in the address. */
export function ItemsList() {
  const [isNew, setNew] = useState(false);
  const { me } = useSession();
  const [chosen, setChosen] = useState<ReadonlyMap<number, string>>(new Map());
  const [isChanging, setChanging] = useState(false);
  const [params, setParams] = useSearchParams();
  const words = params.get("words") ?? "";
  const kind = params.get("kind") ?? "";
  const place = params.get("place") ?? "";
  const late = useDebounced(words, 200);
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(params);
    if (value) next.set(name, value);
    else next.delete(name);
    setParams(next, { replace: true });
  };
  const { data, error, fetchNextPage, hasNextPage, isFetching } = useInfiniteQuery({
    queryKey: ["estate-items", late, kind, place],
    queryFn: ({ pageParam }) => ok(api.GET("/api/estate/items", { params: { query: { words: late, kind, place, after: pageParam } } })),
    initialPageParam: 0,
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (before) => before,
  });
  const first = data?.pages[0];
  const rows = data?.pages.flatMap((page) => page.rows) ?? [];
  const isWorking = me?.is_on_desk ?? false;
  const choose = (many: { id: number; name: string }[], isIn: boolean) => {
    const next = new Map(chosen);
    for (const one of many) {
      if (isIn) next.set(one.id, one.name);
      else next.delete(one.id);
    }
    setChosen(next);
  };
  return (
    <>
      <div className="mb-2 flex flex-wrap items-center gap-2">
        <input
          aria-label="Words in the name"
          placeholder="Words in the name"
          className={`${inputClass} max-w-[280px]`}
          value={words}
          onChange={(event) => set("words", event.target.value)}
        />
        <Choice label="type" value={kind} choices={first?.kinds ?? []} onChoose={(value) => set("kind", value)} />
        <Choice label="place" value={place} choices={first?.places ?? []} onChoose={(value) => set("place", value)} />
        {first ? <span className="text-ink-2">{first.count.toLocaleString("en-GB")} items</span> : null}
        {first?.can_record ? <Button onClick={() => setNew(true)}>Record an item…</Button> : null}
        {isNew && first ? <NewItem kinds={first.types} onClose={() => setNew(false)} /> : null}
        <span className="ml-auto flex flex-wrap gap-3 text-[14px]">
          Export:
          {["items", "dependencies"].flatMap((what) =>
            ["csv", "json"].map((form) => (
              <a key={what + form} className="underline" href={`/api/estate/export?what=${what}&as=${form}`} download>
                {what}, {form.toUpperCase()}
              </a>
            )),
          )}
        </span>
      </div>
      {chosen.size > 0 ? (
        <p className="mb-2 flex flex-wrap items-center gap-2 rounded-small bg-sea-3 px-3 py-1.5" aria-live="polite">
          <b>{chosen.size.toLocaleString("en-GB")} chosen</b>
          <Button disabled={chosen.size > MOST_AT_ONCE} onClick={() => setChanging(true)}>
            Change…
          </Button>
          <Button onClick={() => setChosen(new Map())}>None</Button>
          {chosen.size > MOST_AT_ONCE ? <span className="text-rust">At most {MOST_AT_ONCE} at once.</span> : null}
        </p>
      ) : null}
      {isChanging ? (
        <ChangeItems
          items={[...chosen].map(([id, name]) => ({ id, name }))}
          onClose={() => setChanging(false)}
          onDone={() => setChosen(new Map())}
        />
      ) : null}
      {error ? (
        <ErrorNote>{sentence(error)}</ErrorNote>
      ) : !first ? (
        <Loading what="the items" />
      ) : rows.length === 0 ? (
        <Empty title="No item fits">Use fewer words, or another type or place.</Empty>
      ) : (
        <div className="overflow-x-auto rounded-card border border-line bg-sheet">
          <table className="w-full min-w-[760px]">
            <thead>
              <tr className="border-b border-line text-left text-[13px] text-ink-2">
                {isWorking ? (
                  <th className="w-8 pl-3">
                    <input
                      type="checkbox"
                      aria-label="All that are shown"
                      checked={rows.every((one) => chosen.has(one.id))}
                      onChange={(event) => choose(rows, event.target.checked)}
                    />
                  </th>
                ) : null}
                {["name", "type", "service", "place", "owner or user", "life", "seen"].map((head) => (
                  <th key={head} className="px-2 py-1.5 font-normal first:pl-3">
                    {head}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {rows.map((one) => (
                <tr key={one.id} className="border-b border-line align-baseline last:border-0">
                  {isWorking ? (
                    <td className="pl-3">
                      <input
                        type="checkbox"
                        aria-label={`Choose ${one.name}`}
                        checked={chosen.has(one.id)}
                        onChange={(event) => choose([one], event.target.checked)}
                      />
                    </td>
                  ) : null}
                  <td className="px-2 py-1 pl-3">
                    <Link to={`/desk/items/${one.id}`} className="font-semibold hover:underline">
                      {one.name}
                    </Link>
                  </td>
                  <td className="px-2">{one.kind}</td>
                  <td className="px-2">{one.service}</td>
                  <td className="px-2">{one.place}</td>
                  <td className="px-2">{one.used_by || one.owner}</td>
                  <td className="px-2">{one.life}</td>
                  <td className="px-2 text-[13px]">
                    {one.seen_s ? when(one.seen_s, first.now_s) : <span className="text-ink-2">never</span>}
                    {one.drifts > 0 ? <b className="ml-1 rounded bg-crown-2 px-1">≠ {one.drifts}</b> : null}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {hasNextPage ? (
        <p className="mt-3 text-center">
          <Button disabled={isFetching} onClick={() => void fetchNextPage()}>
            Show more
          </Button>
        </p>
      ) : null}
    </>
  );
}

interface ChoiceProps {
  label: string;
  value: string;
  choices: string[];
  onChoose: (value: string) => void;
}

function Choice({ label, value, choices, onChoose }: ChoiceProps) {
  return (
    <select
      aria-label={label}
      className="rounded-small border border-line-2 bg-sheet px-2 py-1.5"
      value={value}
      onChange={(event) => onChoose(event.target.value)}
    >
      <option value="">any {label}</option>
      {choices.filter(Boolean).map((one) => (
        <option key={one}>{one}</option>
      ))}
    </select>
  );
}
