import { lazy, Suspense, useEffect, useState } from "react";

const load = () => import("./CommandDialog");
const CommandDialog = lazy(() => load().then((module) => ({ default: module.CommandDialog })));

interface CommandBarProps {
  onLog: (starter?: string) => void;
  onHelp: () => void;
}

/** Find or do: what it needs is loaded when the page has all of its own, and asked for on opening. */
export function CommandBar({ onLog, onHelp }: CommandBarProps) {
  const [isOpen, setOpen] = useState(false);
  const [wasOpened, setOpened] = useState(false);
  const [words, setWords] = useState("");
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key === "Control" || event.key === "Meta") void load(); // K may follow
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k") {
        event.preventDefault();
        setOpen((open) => !open);
        setOpened(true);
      }
    };
    window.addEventListener("keydown", onKey);
    const soon = setTimeout(() => void load(), 4_000);
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
          setOpened(true);
        }}
        className="flex h-[30px] w-[230px] items-center justify-between rounded-small border border-white/25 bg-bar-2 px-2.5 text-white/80 hover:border-white/50 max-[620px]:w-auto"
      >
        <span className="max-[620px]:hidden">Find or do…</span>
        <span className="hidden max-[620px]:inline">Find</span>
        <span className="text-[12px] max-[900px]:hidden">Ctrl K</span>
      </button>
      {wasOpened ? (
        // What is typed before it is there is not lost, and goes nowhere else.
        <Suspense fallback={isOpen ? <Typing words={words} setWords={setWords} onLeave={() => setOpen(false)} /> : null}>
          <CommandDialog isOpen={isOpen} setOpen={setOpen} words={words} setWords={setWords} onLog={onLog} onHelp={onHelp} />
        </Suspense>
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
