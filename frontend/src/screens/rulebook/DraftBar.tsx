import { useState } from "react";
import { Link } from "react-router";
import { Button } from "../../parts/ui";
import { useOverview, useReview } from "./data";
import { PublishDialog } from "./PublishDialog";
import { useUndo } from "./section/SectionPage";

/** What the draft is: what it differs in, whether it can be published, its last edit taken back. */
export function DraftBar() {
  const { data } = useOverview();
  const review = useReview(Boolean(data?.draft)).data;
  const [isPublishing, setPublishing] = useState(false);
  const undo = useUndo();
  const draft = data?.draft;
  if (!data) return null;
  if (!draft)
    return (
      <p className="border-b border-line bg-paper px-4 py-2 text-ink-2">
        <b className="text-ink">Edition {data.in_force}</b>, as it is in force. Change anything: a draft begins, and nothing counts before
        it is published.
      </p>
    );
  const count = review?.differences.length;
  const errors = review?.findings.filter((one) => one.severity === "error").length ?? 0;
  const failing = review?.failing ?? 0;
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 bg-crown-2 px-4 py-1.5">
      <p className="flex-1">
        <b>Draft after edition {data.in_force}</b>{" "}
        <Link to="/desk/rulebook/differences" className="ml-2 hover:underline">
          {count === undefined ? "Differences" : count === 1 ? "1 difference" : `${count} differences`}
        </Link>
        {draft.people.length > 0 ? <span>, by {draft.people.join(" and ")}</span> : null}
      </p>
      {errors > 0 || failing > 0 ? (
        <p className="font-semibold text-rust">
          Cannot be published yet:{" "}
          {errors > 0 ? (
            <Link className="underline underline-offset-2" to="/desk/rulebook/checks">
              {errors} to fix
            </Link>
          ) : null}
          {errors > 0 && failing > 0 ? ", " : ""}
          {failing > 0 ? (
            <Link className="underline underline-offset-2" to="/desk/rulebook/rehearsals">
              {failing === 1 ? "1 rehearsal differs" : `${failing} rehearsals differ`}
            </Link>
          ) : null}
        </p>
      ) : null}
      <Button
        onClick={() => undo.mutate()}
        disabled={undo.isPending || draft.edits === 0}
        title={draft.last_edit ? `Takes back: ${draft.last_edit}` : undefined}
      >
        Undo
      </Button>
      <Button tone={errors > 0 || failing > 0 ? "plain" : "sea"} onClick={() => setPublishing(true)}>
        Publish…
      </Button>
      <PublishDialog isOpen={isPublishing} onClose={() => setPublishing(false)} draft={draft} />
    </div>
  );
}
