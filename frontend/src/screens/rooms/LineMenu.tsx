import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";

/** A small menu at the end of a line. */
export function LineMenu({ label, children }: { label: string; children: ReactNode }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        aria-label={label}
        className="inline-flex h-[24px] min-w-[24px] items-center justify-center rounded-small text-ink-2 hover:bg-sea-3 hover:text-ink"
      >
        ⋯
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-40 min-w-[180px] rounded-card border border-line-2 bg-sheet p-1 text-ink"
        >
          {children}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
