import { useEffect, useState } from "react";

const load = () => import("./CommandDialog").then((module) => module.CommandDialog);
type Dialog = Awaited<ReturnType<typeof load>>;

interface CommandBarProps {
  onLog: (starter?: string) => void;
  onHelp: () => void;
}

/** Find or do: what it needs is loaded once the page has all of its own. */
export function CommandBar({ onLog, onHelp }: CommandBarProps) {
  const [isOpen, setOpen] = useState(false);
  const [Dialog, setDialog] = useState<Dialog>();
  const [words, setWords] = useState("");
  useEffect(() => {
    // Kept when it is there, so that it opens at once and no key goes to the page behind it.
    const fetchIt = () => void load().then((loaded) => setDialog(() => loaded));
    const onKey = (event: KeyboardEvent) => {
      if (event.key === "Control" || event.key === "Meta") fetchIt(); // K may follow
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k") {
        event.preventDefault();
        setOpen((open) => !open);
        fetchIt();
      }
    };
    window.addEventListener("keydown", onKey);
    const soon = setTimeout(fetchIt, 300);
    return () => {
      window.removeEventListener("keydown", onKey);
      clearTimeout(soon);
    };
  }, []);
  return (
    <>
      <button
        type="button"
        onClick={() => {
          setOpen(true);
          void load().then((loaded) => setDialog(() => loaded));
        }}
        className="flex h-[30px] w-[230px] items-center justify-between rounded-small border border-white/25 bg-bar-2 px-2.5 text-white/80 hover:border-white/50 max-[620px]:w-auto"
      >
        <span className="max-[620px]:hidden">Find or do…</span>
        <span className="hidden max-[620px]:inline">Find</span>
        <span className="text-[12px] max-[900px]:hidden">Ctrl K</span>
      </button>
      {Dialog ? (
        <Dialog isOpen={isOpen} setOpen={setOpen} words={words} setWords={setWords} onLog={onLog} onHelp={onHelp} />
      ) : isOpen ? (
        <Typing words={words} setWords={setWords} onLeave={() => setOpen(false)} />
      ) : null}
    </>
  );
}

interface TypingProps {
  words: string;
  setWords: (words: string) => void;
  onLeave: () => void;
}

/** Where one types while the dialog is on its way. */
function Typing({ words, setWords, onLeave }: TypingProps) {
  return (
    <div className="fixed left-1/2 top-[10vh] z-50 w-[min(94vw,600px)] -translate-x-1/2 rounded-card border border-line bg-sheet p-2 text-ink">
      <input
        autoFocus
        aria-label="Find or do"
        value={words}
        onChange={(event) => setWords(event.target.value)}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === "Escape") onLeave();
        }}
        className="w-full rounded-small border border-line-2 bg-sheet px-3 py-2 text-[15px]"
      />
    </div>
  );
}
