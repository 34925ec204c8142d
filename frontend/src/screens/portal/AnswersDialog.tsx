import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, type MyTicket, ok, Problem, type RequestFacts, sentence } from "../../api/client";
import { FormFields } from "../../parts/FormFields";
import { useDebounced } from "../../parts/hooks";
import { given } from "../../parts/Offer";
import { Button, Dialog, ErrorNote, Loading } from "../../parts/ui";

interface AnswersDialogProps {
  thing: MyTicket;
  request: RequestFacts;
  onClose: () => void;
  onDone: (next: MyTicket) => void;
}

/** What was answered, to be put right while it is open; who has decided on it is asked again. */
export function AnswersDialog({ thing, request, onClose, onDone }: AnswersDialogProps) {
  const [answers, setAnswers] = useState(request.again.answers as Record<string, unknown>);
  const late = useDebounced(JSON.stringify(given(answers)), 180);
  const look = useQuery({
    queryKey: ["look", request.item, "again", late],
    queryFn: () =>
      ok(
        api.POST("/api/catalogue/{key}/look", {
          params: { path: { key: request.item } },
          body: {
            answers: JSON.parse(late) as never,
            chosen: request.again.chosen,
            part_answers: {},
            beneficiary: request.again.beneficiary,
          },
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const save = useMutation({
    mutationFn: () =>
      ok(api.POST("/api/portal/tickets/{number}/answers", { params: { path: { number: thing.id } }, body: { answers: answers as never } })),
    onSuccess: (next) => {
      onDone(next);
      toast(next.request?.approval === "pending" ? "Changed. Its approvers are asked again." : "Changed.");
      onClose();
    },
  });
  const problem = save.error instanceof Problem ? save.error : null;
  return (
    <Dialog title="Change the answers" about="An approver of what you change is asked again." isOpen onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          save.mutate();
        }}
      >
        {look.data ? (
          <FormFields
            states={look.data.fields}
            answers={answers}
            errors={problem?.fields ?? {}}
            onChange={(name, value) => setAnswers({ ...answers, [name]: value })}
          />
        ) : null}
        {look.isPending ? <Loading what="the form" /> : null}
        {look.error ? <ErrorNote>{sentence(look.error)}</ErrorNote> : null}
        {save.error ? <ErrorNote>{sentence(save.error)}</ErrorNote> : null}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" tone="sea" disabled={save.isPending || !look.data}>
            Change them
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
