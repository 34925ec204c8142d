import { useState } from "react";
import { useCommands } from "../../shell/commands";
import { Button } from "../ui";
import { MassDialog, type MassAct } from "./MassDialog";

const ACTS: { act: MassAct; label: string }[] = [
  { act: "take", label: "Take" },
  { act: "hand over", label: "Hand over…" },
  { act: "change", label: "Change…" },
  { act: "wait", label: "Wait…" },
  { act: "resume", label: "Take up again" },
  { act: "resolve", label: "Resolve…" },
  { act: "reply", label: "Reply…" },
  { act: "note", label: "Note…" },
  { act: "follow", label: "Follow" },
];

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
  const [isWhole, setWhole] = useState(false);
  const whom = isWhole ? "all that fit" : `the ${chosen.size} chosen`;
  useCommands(
    chosen.size > 0 ? ACTS.map(({ act: name, label }) => ({ label: `${label.replace("…", "")}: ${whom}`, act: () => setAct(name) })) : [],
    whom,
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
        {ACTS.map(({ act: name, label }) => (
          <Button key={name} onClick={() => setAct(name)}>
            {label}
          </Button>
        ))}
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
