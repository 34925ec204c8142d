import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, ok } from "../../api/client";
import { useDebounced } from "../../parts/hooks";
import { asLogged, type Call, EMPTY_CALL, type LogPreview } from "./call";

/** What the call would become if it were logged now; read again when the typing rests. */
export function useLogPreview(call: Call, me: number): LogPreview | undefined {
  const late = useDebounced(JSON.stringify({ ...asLogged(call, me), values: {} }), 350);
  const { data } = useQuery({
    queryKey: ["log preview", late],
    queryFn: () => {
      const body = JSON.parse(late) as ReturnType<typeof asLogged>;
      return ok(api.POST("/api/tickets/preview", { body: { ...body, requester: body.requester || null } }));
    },
    placeholderData: (old) => old,
    retry: false,
    staleTime: 15_000,
  });
  return data;
}

interface Drafted {
  isLoaded: boolean;
  set: (change: Partial<Call>) => void;
}

/** “Create from this”: what is known of a ticket is carried over into a new one, its part. */
export function useCreatedFrom(starter: string, draft: Drafted): void {
  const number = starter.startsWith("from-") ? +starter.slice(5) : 0;
  const begun = useRef(0);
  const { data: ticket } = useQuery({
    queryKey: ["ticket", number],
    queryFn: () => ok(api.GET("/api/tickets/{number}", { params: { path: { number } } })),
    enabled: number > 0,
  });
  useEffect(() => {
    if (!ticket || !draft.isLoaded || begun.current === number) return;
    begun.current = number;
    const { requester, service, ci, place, category } = ticket.facts;
    draft.set({
      ...EMPTY_CALL,
      person: requester.id,
      name: requester.name,
      service: service ? String(service.id) : "",
      ci: ci ? String(ci.id) : "",
      ciName: ci?.name ?? "",
      place,
      category,
      text: `From ${ticket.kind} ${ticket.id}: ${ticket.title}`,
      parent: number,
    });
  }, [ticket, number, draft]);
}

/** “Log an incident” of an item: what is known of it is carried over, and what a scan found otherwise. */
export function useCreatedOfItem(starter: string, draft: Drafted, me: { id: number; name: string } | null): void {
  const number = starter.startsWith("item-") ? +starter.slice(5) : 0;
  const begun = useRef(0);
  const { data: item } = useQuery({
    queryKey: ["item", number],
    queryFn: () => ok(api.GET("/api/estate/items/{number}", { params: { path: { number } } })),
    enabled: number > 0,
  });
  useEffect(() => {
    if (!item || !me || !draft.isLoaded || begun.current === number) return;
    begun.current = number;
    const apart = item.attributes.filter((one) => one.differs && !one.explained);
    const service = item.service_node.split("-")[1] ?? "";
    draft.set({
      ...EMPTY_CALL,
      person: me.id,
      name: me.name,
      service,
      ci: String(item.id),
      ciName: item.name,
      place: item.place,
      title: apart.length > 0 ? `${item.name} is otherwise than recorded` : "",
      text: apart.map((one) => `${one.label}: recorded ${one.recorded || "nothing"}, seen ${one.seen || "nothing"}`).join("\n"),
    });
  }, [item, number, draft, me]);
}
