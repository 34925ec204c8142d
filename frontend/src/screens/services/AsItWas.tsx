import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok, sentence } from "../../api/client";
import { WhenInput } from "../../parts/WhenInput";
import { ErrorNote } from "../../parts/ui";

/** The item as it was at the end of a day. */
export function AsItWas({ item }: { item: number }) {
  const [day, setDay] = useState("");
  const { data, error } = useQuery({
    queryKey: ["item-then", item, day],
    queryFn: () => ok(api.GET("/api/estate/items/{number}/then", { params: { path: { number: item }, query: { day } } })),
    enabled: day !== "",
  });
  return (
    <div className="mt-2">
      <span className="flex items-center gap-2">
        <span>As it was at the end of</span>
        <span className="w-[170px]">
          <WhenInput props={{ "aria-label": "Which day" }} isDay value={day} onChange={setDay} />
        </span>
      </span>
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {data && !data.was_there ? <p className="mt-1">It was not recorded then.</p> : null}
      {data?.was_there ? (
        <dl className="mt-1 grid grid-cols-[130px_1fr] gap-x-3 rounded-small bg-paper px-2 py-1">
          {[...Object.entries(data.facts), ...data.attributes.map((one) => [one.label, one.value] as const)]
            .filter(([, value]) => value && value !== "nothing")
            .map(([label, value]) => (
              <div key={label} className="contents">
                <dt className="text-ink-2">{label}</dt>
                <dd>{value}</dd>
              </div>
            ))}
        </dl>
      ) : null}
    </div>
  );
}
