import { useState } from "react";
import { NewProblem } from "../../screens/problems/NewProblem";
import { useCommands } from "../../shell/commands";
import { Button } from "../ui";
import { useChoices } from "../choices";
import { MassDialog, type MassAct } from "./MassDialog";

interface MassBarProps {
  chosen: ReadonlySet<number>;
  shown: number;
  filter: string;
  hasMore: boolean;
  onAll: () => void;
  onNone: () => void;
}

/** What can be done with everything that is chosen. */
export function MassBar({ chosen, shown, filter, hasMore, onAll, onNone }: MassBarProps) {
  const [act, setAct] = useState<MassAct | null>(null);
  const [isProblem, setProblem] = useState(false);
  const [isWhole, setWhole] = useState(false);
  const acts = useChoices()?.acts_on_many ?? [];
  const whom = isWhole ? "all that fit" : `the ${chosen.size} chosen`;
  useCommands(
    chosen.size > 0 ? acts.map(({ name, button }) => ({ label: `${button.replace("…", "")}: ${whom}`, act: () => setAct(name) })) : [],
    `${whom}/${acts.length}`,
  );
  if (chosen.size === 0) return null;
  const isAllShown = chosen.size >= shown;
  return (
    <>
      <div
        role="toolbar"
        aria-label="What to do with the chosen tickets"
        className="no-print fixed bottom-3 left-1/2 z-30 flex w-max max-w-[96vw] -translate-x-1/2 flex-wrap items-center gap-1.5 rounded-card border border-line-2 bg-sheet px-3 py-2"
      >
        <b aria-live="polite">{isWhole ? "All that fit" : `${chosen.size} chosen`}</b>
        {!isAllShown && !isWhole ? (
          <Button tone="quiet" onClick={onAll}>
            all {shown} shown
          </Button>
        ) : null}
        {isAllShown && hasMore && !isWhole ? (
          <Button tone="quiet" onClick={() => setWhole(true)}>
            all that fit the sentence
          </Button>
        ) : null}
        {acts.map(({ name, button }) => (
          <Button key={name} onClick={() => setAct(name)}>
            {button}
          </Button>
        ))}
        {isWhole ? null : <Button onClick={() => setProblem(true)}>Open a problem…</Button>}
        <Button
          tone="quiet"
          hint="Esc"
          onClick={() => {
            setWhole(false);
            onNone();
          }}
        >
          None
        </Button>
      </div>
      {isProblem ? <NewProblem incidents={[...chosen]} onClose={() => setProblem(false)} /> : null}
      {act ? (
        <MassDialog
          act={act}
          ids={isWhole ? [] : [...chosen]}
          filter={isWhole ? filter : null}
          onClose={() => setAct(null)}
          onDone={() => {
            setAct(null);
            setWhole(false);
            onNone();
          }}
        />
      ) : null}
    </>
  );
}
