import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ok, sentence, type Ticket } from "../../api/client";
import { price } from "../../parts/Offer";
import { OfferIcon } from "../../parts/OfferIcon";
import { Dialog, ErrorNote, inputClass, Loading } from "../../parts/ui";

/** A request that follows from a ticket: what of the catalogue, for its requester; the two are linked. */
export function RequestDialog({ ticket, onClose }: { ticket: Ticket; onClose: () => void }) {
  const [words, setWords] = useState("");
  const { data, error } = useQuery({ queryKey: ["catalogue"], queryFn: () => ok(api.GET("/api/catalogue")), staleTime: 60_000 });
  const wanted = words.trim().toLowerCase();
  const shown = (data ?? []).filter((offer) => `${offer.name} ${offer.plain} ${offer.group}`.toLowerCase().includes(wanted));
  const requester = ticket.facts.requester;
  const from = new URLSearchParams({ from: String(ticket.id), title: ticket.title, for: String(requester.id), name: requester.name });
  return (
    <Dialog
      title={`Create a request from ${ticket.id}`}
      about={`For ${requester.name}. It is linked to this ${ticket.kind}, and says where it comes from.`}
      isOpen
      onClose={onClose}
    >
      <input
        autoFocus
        aria-label="Search the catalogue"
        placeholder="What is needed"
        className={inputClass}
        value={words}
        onChange={(event) => setWords(event.target.value)}
      />
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {!data && !error ? <Loading what="the catalogue" /> : null}
      <ul className="mt-2 max-h-[46vh] overflow-y-auto">
        {shown.map((offer) => (
          <li key={offer.key} className="border-b border-line last:border-0">
            <Link to={`/ask/${offer.key}?${from.toString()}`} className="flex items-center gap-3 px-1 py-1.5 hover:bg-sea-3">
              <OfferIcon icon={offer.icon} />
              <span className="min-w-0 flex-1">
                <b>{offer.name}</b> <span className="block truncate text-[13px] text-ink-2">{offer.plain}</span>
              </span>
              <span className="text-[13px] text-ink-2">{price(offer.once_pence, offer.monthly_pence)}</span>
            </Link>
          </li>
        ))}
        {data && shown.length === 0 ? <li className="px-1 py-2 text-ink-2">Nothing in the catalogue has these words.</li> : null}
      </ul>
    </Dialog>
  );
}
