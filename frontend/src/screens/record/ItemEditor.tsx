import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, ok, type Ticket } from "../../api/client";
import { useDebounced } from "../../parts/hooks";
import { Button, inputClass } from "../../parts/ui";

/** Where the CI of a ticket is chosen on the map: near what it has, or its service. */
function onTheMap({ id, facts }: Ticket): string {
  const node = facts.ci ? `item-${facts.ci.id}` : facts.service ? `service-${facts.service.id}` : "";
  return `/desk/services/map?for=${id}${node ? `&node=${node}&steps=2` : ""}`;
}

/** The CI of a ticket, by a part of its name, or on the map. */
export function ItemEditor({
  ticket,
  onSave,
  onCancel,
}: {
  ticket: Ticket;
  onSave: (id: number | null, name: string) => void;
  onCancel: () => void;
}) {
  const [words, setWords] = useState("");
  const late = useDebounced(words, 200);
  const navigate = useNavigate();
  const { data } = useQuery({
    queryKey: ["items", late, ticket.facts.service?.id],
    queryFn: () =>
      ok(api.GET("/api/items", { params: { query: { q: late, ...(ticket.facts.service ? { service: ticket.facts.service.id } : {}) } } })),
  });
  return (
    <div>
      <input
        autoFocus
        aria-label="Find a configuration item"
        placeholder="Part of its name"
        className={inputClass}
        value={words}
        onChange={(event) => setWords(event.target.value)}
        onKeyDown={(event) => event.key === "Escape" && onCancel()}
      />
      <ul className="mt-1 max-h-44 overflow-y-auto rounded-small border border-line">
        {data?.map((item) => (
          <li key={item.id}>
            <button type="button" className="w-full px-2 py-1 text-left hover:bg-sea-3" onClick={() => onSave(item.id, item.name)}>
              {item.name}
            </button>
          </li>
        ))}
        {data?.length === 0 ? <li className="px-2 py-1 text-ink-2">Nothing is called that.</li> : null}
      </ul>
      <div className="mt-1 flex gap-2">
        <Button onClick={() => onSave(null, "nothing")}>Nothing</Button>
        <Button onClick={() => void navigate(onTheMap(ticket))}>On the map…</Button>
        <Button onClick={onCancel}>Cancel</Button>
      </div>
    </div>
  );
}
