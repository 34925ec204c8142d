import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok, sentence } from "../../api/client";
import { ColleaguePicker } from "../../parts/ColleaguePicker";
import { FormFields } from "../../parts/FormFields";
import { useDebounced } from "../../parts/hooks";
import { type Answers, given, givenParts, Parts, Terms } from "../../parts/Offer";
import { OfferIcon } from "../../parts/OfferIcon";
import { ErrorNote, Loading } from "../../parts/ui";

/** An item or bundle of the draft as its page on the portal will be, for anybody. */
export function OfferPreview({ offer }: { offer: { key: string } }) {
  const [who, setWho] = useState({ id: 0, name: "" });
  const [answers, setAnswers] = useState<Answers>({});
  const [chosen, setChosen] = useState<string[]>([]);
  const [parts, setParts] = useState<Record<string, Answers>>({});
  const late = useDebounced(
    JSON.stringify({ answers: given(answers), chosen, part_answers: givenParts(parts), beneficiary: who.id || null }),
    200,
  );
  const look = useQuery({
    queryKey: ["rulebook", "offer", offer.key, late, JSON.stringify(offer)],
    queryFn: () =>
      ok(api.POST("/api/rulebook/offers/{key}/look", { params: { path: { key: offer.key } }, body: JSON.parse(late) as never })),
    placeholderData: keepPreviousData,
    retry: 1,
  });
  return (
    <section aria-label="As on the portal" className="mt-3 rounded-card border border-line bg-paper px-4 py-3">
      <h3 className="mb-2 font-bold">
        As on the portal <span className="text-[13px] font-normal text-ink-2">nothing is requested from here</span>
      </h3>
      <div className="mb-3 max-w-[320px]">
        <ColleaguePicker
          label="As it is for"
          help={who.id ? undefined : "Without a name it is as for you."}
          name={who.name}
          onName={(name) => setWho({ id: 0, name })}
          onPick={(person) => setWho({ id: person.id, name: person.name ?? "" })}
        />
      </div>
      {look.error && !look.data ? <ErrorNote>{sentence(look.error)}</ErrorNote> : null}
      {look.isPending ? <Loading what="the page" /> : null}
      {look.data ? (
        <div className="grid grid-cols-[minmax(0,1fr)_230px] items-start gap-5 max-[900px]:grid-cols-1">
          <div className="flex flex-col gap-4">
            <div className="flex items-start gap-3">
              <OfferIcon icon={look.data.offer.icon} size={30} />
              <div>
                <p className="text-[20px] font-bold leading-tight">{look.data.offer.name}</p>
                <p className="text-ink-2">{look.data.offer.plain}</p>
              </div>
            </div>
            {look.data.is_offered ? null : <ErrorNote>Who this is for would not be offered it.</ErrorNote>}
            <FormFields states={look.data.fields} answers={answers} onChange={(name, value) => setAnswers({ ...answers, [name]: value })} />
            {look.data.parts.length > 0 ? (
              <Parts
                parts={look.data.parts}
                body={{ chosen, parts }}
                errors={{}}
                onChosen={setChosen}
                onAnswer={(part, name, value) => setParts({ ...parts, [part]: { ...parts[part], [name]: value } })}
              />
            ) : null}
            {look.data.problem ? <ErrorNote>{look.data.problem}</ErrorNote> : null}
          </div>
          <Terms looked={look.data} />
        </div>
      ) : null}
    </section>
  );
}
