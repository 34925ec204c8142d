import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";

/** A button that opens a menu of what can be done besides. */
export function Menu({ label, children }: { label: string; children: ReactNode }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="inline-flex h-[30px] items-center rounded-small border border-line-2 bg-sheet px-2.5 font-semibold hover:border-ink-3">
        {label} <span aria-hidden="true">&nbsp;▾</span>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-40 min-w-[220px] rounded-card border border-line-2 bg-sheet p-1 text-ink"
        >
          {children}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

export function MenuItem({ onSelect, children }: { onSelect: () => void; children: ReactNode }) {
  return (
    <DropdownMenu.Item onSelect={onSelect} className="cursor-pointer rounded-small px-2.5 py-1.5 outline-none data-[highlighted]:bg-sea-3">
      {children}
    </DropdownMenu.Item>
  );
}
