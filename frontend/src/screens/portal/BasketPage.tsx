import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ok, Problem, sentence } from "../../api/client";
import { Button, ErrorNote, Field, inputClass } from "../../parts/ui";
import { useBasket } from "./basket";
import { price } from "../../parts/Offer";
import { Taken } from "./OfferPage";

/** Several things asked for together; each goes its own way under one number. */
export function BasketPage() {
  const basket = useBasket();
  const queries = useQueryClient();
  const [done, setDone] = useState<{ id: number; title: string; approval: string; waiting: string } | null>(null);
  const send = useMutation({
    mutationFn: () =>
      ok(
        api.POST("/api/catalogue/ask", {
          body: {
            lines: basket.lines.map(({ key, answers }) => ({ key, answers: answers as never })),
            reason: basket.reason,
            chosen: [],
            part_answers: {},
            attachments: [],
          },
        }),
      ),
    onSuccess: (found) => {
      setDone(found);
      basket.clear();
      void queries.invalidateQueries({ queryKey: ["portal"] });
    },
  });
  if (done) return <Taken asked={done} />;
  const once = basket.lines.reduce((sum, line) => sum + line.once_pence, 0);
  const monthly = basket.lines.reduce((sum, line) => sum + line.monthly_pence, 0);
  const problem = send.error instanceof Problem ? send.error : null;
  return (
    <div className="mx-auto max-w-[720px] pt-6">
      <Link to="/" className="text-sea underline-offset-2 hover:underline">
        ← Start page
      </Link>
      <h1 className="mb-3 mt-2 text-[26px] font-bold">Basket</h1>
      {basket.lines.length === 0 ? <p className="text-ink-2">There is nothing in it. Put things in from their pages.</p> : null}
      <ul className="flex flex-col gap-2">
        {basket.lines.map((line) => (
          <li key={line.key} className="flex items-center gap-3 rounded-card border border-line bg-sheet px-4 py-2.5">
            <b className="min-w-0 flex-1">{line.name}</b>
            <span className="text-ink-2">{price(line.once_pence, line.monthly_pence)}</span>
            <Button tone="quiet" aria-label={`Take ${line.name} out`} onClick={() => basket.drop(line.key)}>
              Take out
            </Button>
          </li>
        ))}
      </ul>
      {basket.lines.length > 0 ? (
        <form
          className="mt-4 flex flex-col gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            send.mutate();
          }}
        >
          <p className="text-right">
            Together <b>{price(once, monthly)}</b>
          </p>
          <Field label="Reason, if it helps the approver">
            {(props) => (
              <textarea
                {...props}
                rows={3}
                className={inputClass}
                value={basket.reason}
                onChange={(event) => basket.setReason(event.target.value)}
              />
            )}
          </Field>
          {send.error ? <ErrorNote>{problem?.message ?? sentence(send.error)}</ErrorNote> : null}
          <Button type="submit" tone="sea" disabled={send.isPending} className="h-[42px] self-start px-5 text-[16px]">
            {send.isPending ? "Asking…" : `Ask for ${basket.lines.length === 1 ? "it" : "all of it"}`}
          </Button>
        </form>
      ) : null}
    </div>
  );
}
