import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import { instantOfLocal } from "../../parts/time";
import { Button, Dialog, ErrorNote, Field, inputClass } from "../../parts/ui";
import { type Overview, useReadAgain, useReview } from "./data";
import { DifferenceList } from "./ReviewPages";
import { WhenInput } from "../../parts/WhenInput";

interface PublishDialogProps {
  isOpen: boolean;
  onClose: () => void;
  draft: NonNullable<Overview["draft"]>;
}

/** The last look: what changes, what the checks and rehearsals say, why, and from when. */
export function PublishDialog({ isOpen, onClose, draft }: PublishDialogProps) {
  const readAgain = useReadAgain();
  const { data } = useReview(isOpen);
  const [comment, setComment] = useState("");
  const [starts, setStarts] = useState("");
  const publish = useMutation({
    mutationFn: () =>
      ok(
        api.POST("/api/rulebook/draft/publish", {
          body: {
            comment,
            version: data?.version ?? draft.version,
            starts_at: starts ? new Date(instantOfLocal(starts) * 1000).toISOString() : null,
          },
        }),
      ),
    onSuccess: (overview) => {
      readAgain();
      onClose();
      setComment("");
      const newest = overview.editions[0]?.number ?? overview.in_force;
      toast(newest === overview.in_force ? `Edition ${newest} is in force.` : `Edition ${newest} is published and starts as planned.`);
    },
    onError: readAgain,
  });
  const discard = useMutation({
    mutationFn: () => ok(api.DELETE("/api/rulebook/draft")),
    onSuccess: () => {
      readAgain();
      onClose();
      toast("The draft is thrown away. What is in force stays in force.");
    },
    onError: (error) => toast.error(sentence(error)),
  });
  const errors = data?.findings.filter((one) => one.severity === "error").length ?? 0;
  const [isThrowing, setThrowing] = useState(false);
  return (
    <Dialog
      title="Publish the draft"
      about="New tickets follow it from then on. Running clocks keep their targets, unless you re-apply it to them."
      isOpen={isOpen}
      onClose={onClose}
      isWide
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          publish.mutate();
        }}
      >
        <div className="max-h-[34vh] overflow-y-auto rounded-small border border-line px-3 py-1">
          {data ? <DifferenceList differences={data.differences} /> : "Reading the differences…"}
        </div>
        {errors > 0 ? <ErrorNote>{errors} to fix before it can be published: see Checks.</ErrorNote> : null}
        {data && data.failing > 0 ? (
          <ErrorNote>
            {data.failing} of {data.rehearsals} rehearsals come out otherwise: accept what they show now, or mend the draft.
          </ErrorNote>
        ) : null}
        <Field label="What changes, and why" error={publish.error instanceof Problem ? publish.error.fields.comment : undefined}>
          {(props) => (
            <textarea {...props} rows={2} className={inputClass} value={comment} onChange={(event) => setComment(event.target.value)} />
          )}
        </Field>
        <Field label="From" help="Empty: now." error={publish.error instanceof Problem ? publish.error.fields.starts_at : undefined}>
          {(props) => (
            <WhenInput
              props={props}

              className={`${inputClass} max-w-60`}
              value={starts}
              onChange={(next) => setStarts(next)}
            />
          )}
        </Field>
        {publish.error ? <ErrorNote>{sentence(publish.error)}</ErrorNote> : null}
        <div className="flex justify-between gap-2 border-t border-line pt-3">
          {isThrowing ? (
            <span className="flex items-center gap-2">
              All {draft.edits} edits go.
              <Button onClick={() => discard.mutate()}>Yes, throw it away</Button>
              <Button tone="quiet" onClick={() => setThrowing(false)}>
                No
              </Button>
            </span>
          ) : (
            <Button tone="quiet" onClick={() => setThrowing(true)}>
              Throw the draft away…
            </Button>
          )}
          <span className="flex gap-2">
            <Button onClick={onClose}>Not yet</Button>
            <Button type="submit" tone="sea" disabled={publish.isPending || errors > 0 || !data}>
              {starts ? "Publish for then" : "Publish now"}
            </Button>
          </span>
        </div>
      </form>
    </Dialog>
  );
}
