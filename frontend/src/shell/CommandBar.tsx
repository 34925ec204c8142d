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
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
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
        <Suspense fallback={null}>
          <CommandDialog isOpen={isOpen} setOpen={setOpen} onLog={onLog} onHelp={onHelp} />
        </Suspense>
      ) : null}
    </>
  );
}
