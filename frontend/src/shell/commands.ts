import { useEffect, useSyncExternalStore } from "react";

export interface Command {
  label: string;
  act: () => void;
  /** The single key that does the same. */
  key?: string;
}

/** What the page that is open can do, offered in the command bar. */
let registered: Command[][] = [];
let flat: Command[] = [];
const listeners = new Set<() => void>();

function tell(): void {
  flat = registered.flat();
  listeners.forEach((listener) => listener());
}

export function useCommands(commands: Command[], stamp: string): void {
  useEffect(() => {
    registered = [...registered, commands];
    tell();
    return () => {
      registered = registered.filter((one) => one !== commands);
      tell();
    };
    // The commands are those of the stamp.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [stamp]);
}

export function usePageCommands(): Command[] {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => flat,
  );
}
