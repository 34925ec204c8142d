import { useTitle } from "../../shell/PageFocus";
import { useSession } from "../../shell/session";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import { ColleaguePicker } from "../../parts/ColleaguePicker";
import { FormFields } from "../../parts/FormFields";
import { useDebounced, useDraft } from "../../parts/hooks";
import { type Answers, given, givenParts, Parts, Terms } from "../../parts/Offer";
import { OfferIcon } from "../../parts/OfferIcon";
import { Button, Empty, ErrorNote, Field, inputClass, Loading } from "../../parts/ui";
import { useBasket } from "./basket";
import { REPORT_EMPTY } from "./report";

interface Asked {
  id: number;
  title: string;
  approval: string;
  waiting: string;
}

const OFFER_EMPTY = {
  answers: {} as Answers,
  chosen: [] as string[],
  parts: {} as Record<string, Answers>,
  reason: "",
  forOther: false,
  who: 0,
  whoName: "",
};

/** The ticket it comes from says so, and so does the request. */
async function linkBack(ticket: number, request: number): Promise<void> {
  try {
    await ok(
      api.POST("/api/tickets/{number}/links", { params: { path: { number: ticket } }, body: { kind: "related to", other: request } }),
    );
    toast(`Linked to ${ticket}.`);
  } catch (error) {
    toast.error(`It could not be linked to ${ticket}: ${sentence(error)}`);
  }
}

/** One thing of the catalogue, or a bundle: its few questions, what it costs, who decides. */
export function OfferPage() {
  const { key = "" } = useParams();
  const [params] = useSearchParams();
  const again = params.get("again");
  const queries = useQueryClient();
  const draft = useDraft(`ask-${key}`, OFFER_EMPTY);
  const basket = useBasket();
  const words = useDraft("report", REPORT_EMPTY);
  const [done, setDone] = useState<Asked | null>(null);
  const body = draft.body;
  const beneficiary = body.forOther && body.who ? body.who : null;
  const asked = { answers: given(body.answers), chosen: body.chosen, part_answers: givenParts(body.parts), beneficiary };
  const late = useDebounced(JSON.stringify(asked), 180);
  const look = useQuery({
    queryKey: ["look", key, late],
    queryFn: () => ok(api.POST("/api/catalogue/{key}/look", { params: { path: { key } }, body: JSON.parse(late) as never })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  useTitle(look.data ? `Request: ${look.data.offer.name}` : undefined);
  // Asking again begins with what was answered before.
  const before = useQuery({
    queryKey: ["my-ticket", +(again ?? 0)],
    queryFn: () => ok(api.GET("/api/portal/tickets/{number}", { params: { path: { number: +(again ?? 0) } } })),
    enabled: again !== null && draft.isLoaded,
  });
  const kept = before.data?.request?.again;
  const { isLoaded, set } = draft;
  useEffect(() => {
    if (!kept || !isLoaded) return;
    const request = before.data?.request;
    const forWhom =
      request?.is_for_other && kept.beneficiary ? { forOther: true, who: kept.beneficiary, whoName: request.beneficiary } : {};
    set({ answers: kept.answers, chosen: kept.chosen, parts: kept.part_answers, ...forWhom });
    // Once, when it has been read.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [Boolean(kept), isLoaded]);
  // From a ticket of the desk: for its requester, with where it comes from as the reason.
  const from = params.get("from");
  const { me } = useSession();
  useEffect(() => {
    if (!from || !isLoaded) return;
    const who = +(params.get("for") ?? 0);
    const forWhom = who && who !== me?.id ? { forOther: true, who, whoName: params.get("name") ?? "" } : {};
    set({ ...forWhom, reason: `From ${from}: ${params.get("title") ?? ""}`.trim() });
    // Once, when the draft has been read.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [from, isLoaded]);
  const send = useMutation({
    mutationFn: () => {
      if (body.forOther && !body.who)
        throw new Problem(422, "invalid", "Choose whom it is for.", { beneficiary: "Choose somebody of the list." });
      return ok(
        api.POST("/api/catalogue/ask", {
          body: {
            lines: [{ key, answers: asked.answers as never }],
            beneficiary,
            chosen: asked.chosen,
            part_answers: asked.part_answers as never,
            reason: body.reason,
            attachments: [],
          },
        }),
      );
    },
    onSuccess: (found) => {
      setDone(found);
      draft.clear();
      if (from) void linkBack(+from, found.id);
      // The words that led here have done their work; a report that was begun stays.
      const { title, ...rest } = words.body;
      const { title: _none, ...empty } = REPORT_EMPTY;
      const isOnlyWords = Object.entries(rest).every(
        ([name, value]) => JSON.stringify(value) === JSON.stringify(empty[name as keyof typeof empty]),
      );
      if (title && isOnlyWords) words.clear();
      void queries.invalidateQueries({ queryKey: ["portal"] });
    },
  });
  const problem = send.error instanceof Problem ? send.error : null;
  if (look.error && !look.data)
    return (
      <Empty title="There is no such thing to request">
        <Link to="/" className="underline">
          Look at what there is
        </Link>
      </Empty>
    );
  if (done) return <Taken asked={done} />;
  if (!look.data) return <Loading what="what it needs" />;
  const { offer, fields, parts } = look.data;
  return (
    <div className="pt-6">
      <Link to="/" className="text-sea underline-offset-2 hover:underline">
        ← Back, all is kept
      </Link>
      <div className="mt-2 grid grid-cols-[minmax(0,680px)_300px] items-start gap-10 max-[960px]:grid-cols-1 max-[960px]:gap-5">
        <form
          className="flex flex-col gap-5"
          onSubmit={(event) => {
            event.preventDefault();
            if (!send.isPending) send.mutate();
          }}
        >
          <div className="flex items-start gap-3">
            <OfferIcon icon={offer.icon} size={34} />
            <div>
              <h1 className="text-[26px] font-bold leading-tight">{offer.name}</h1>
              <p className="text-ink-2">{offer.plain}</p>
            </div>
          </div>
          <fieldset>
            <legend className="mb-1.5 font-semibold text-ink-2">Who is it for?</legend>
            <div className="flex flex-wrap gap-x-6 gap-y-1.5">
              <label className="flex items-center gap-2">
                <input type="radio" name="for" checked={!body.forOther} onChange={() => draft.set({ forOther: false })} />
                For me
              </label>
              <label className="flex items-center gap-2">
                <input type="radio" name="for" checked={body.forOther} onChange={() => draft.set({ forOther: true })} />
                For somebody else
              </label>
            </div>
            {body.forOther ? (
              <div className="mt-2">
                <ColleaguePicker
                  label="For whom"
                  name={body.whoName}
                  error={problem?.fields.beneficiary}
                  onName={(whoName) => draft.set({ whoName, who: 0 })}
                  onPick={(person) => draft.set({ whoName: person.name, who: person.id })}
                />
              </div>
            ) : null}
          </fieldset>
          <FormFields
            states={fields}
            answers={body.answers}
            errors={problem?.fields ?? {}}
            onChange={(name, value) => draft.set({ answers: { ...body.answers, [name]: value } })}
          />
          {parts.length > 0 ? (
            <Parts
              parts={parts}
              body={body}
              errors={problem?.fields ?? {}}
              onChosen={(chosen) => draft.set({ chosen })}
              onAnswer={(part, name, value) => draft.set({ parts: { ...body.parts, [part]: { ...body.parts[part], [name]: value } } })}
            />
          ) : null}
          <Field
            label="Reason, if it helps the approver"
            help={look.data.decides.some((one) => !one.is_skipped) ? "They read it first." : undefined}
          >
            {(props) => (
              <textarea
                {...props}
                rows={3}
                maxLength={20_000}
                className={inputClass}
                value={body.reason}
                onChange={(event) => draft.set({ reason: event.target.value })}
              />
            )}
          </Field>
          {look.data.problem ? <ErrorNote>{look.data.problem}</ErrorNote> : null}
          {problem ? <ErrorNote>{problem.message}</ErrorNote> : send.error ? <ErrorNote>{sentence(send.error)}</ErrorNote> : null}
          <div className="flex flex-wrap items-center gap-3">
            <Button type="submit" tone="sea" disabled={send.isPending || Boolean(look.data.problem)} className="h-[42px] px-5 text-[16px]">
              {send.isPending ? "Sending…" : "Request it"}
            </Button>
            {!offer.is_bundle && !body.forOther ? (
              <Button
                className="h-[42px]"
                onClick={() => {
                  basket.add({
                    key,
                    name: offer.name,
                    answers: asked.answers,
                    once_pence: offer.once_pence,
                    monthly_pence: offer.monthly_pence,
                  });
                  draft.clear();
                }}
              >
                {basket.has(key) ? "In the basket; put it in again" : "Put it in the basket"}
              </Button>
            ) : null}
            {basket.lines.length > 0 ? (
              <Link to="/basket" className="text-sea underline">
                Basket: {basket.lines.length}
              </Link>
            ) : null}
          </div>
        </form>
        <Terms looked={look.data} />
      </div>
    </div>
  );
}

export function Taken({ asked }: { asked: Asked }) {
  return (
    <div className="mx-auto max-w-[620px] pt-12" role="status">
      <h1 className="text-[26px] font-bold">Thank you. It is request {asked.id}.</h1>
      <p className="mt-3 text-[17px]">{asked.title}</p>
      <p className="mt-2 text-ink-2">
        {asked.approval === "pending" ? `${asked.waiting}. You hear as soon as it is approved.` : "It goes straight to those who bring it."}
      </p>
      <p className="mt-5 flex gap-5">
        <Link to={`/my/${asked.id}`} className="font-bold text-sea underline">
          Look at it
        </Link>
        <Link to="/" className="text-sea underline">
          Start page
        </Link>
      </p>
    </div>
  );
}
