import { Dialog as RadixDialog } from "radix-ui";
import { type ButtonHTMLAttributes, type ReactNode, type Ref, useId, useState } from "react";
import { useRefusals } from "./refusals";

type Tone = "sea" | "crown" | "plain" | "quiet";

const TONES: Record<Tone, string> = {
  sea: "bg-sea text-on-sea border-sea hover:brightness-110",
  crown: "bg-crown text-[#17222b] border-crown hover:brightness-105",
  plain: "bg-sheet text-ink border-line hover:border-line-2 hover:bg-sea-3",
  quiet: "bg-transparent text-ink-2 border-transparent hover:bg-sea-3 hover:text-ink",
};

interface ButtonProps extends ButtonHTMLAttributes<HTMLButtonElement> {
  tone?: Tone;
  /** The single key that does the same, shown beside the words. */
  hint?: string;
  ref?: Ref<HTMLButtonElement>;
}

export function Button({ tone = "plain", hint, className = "", children, ref, ...rest }: ButtonProps) {
  return (
    <button
      ref={ref}
      type="button"
      className={`inline-flex h-[30px] items-center gap-1.5 whitespace-nowrap rounded-small border px-2.5 font-semibold disabled:cursor-default disabled:opacity-55 max-[900px]:h-[38px] ${TONES[tone]} ${className}`}
      {...rest}
    >
      {children}
      {hint ? (
        <kbd className="rounded border border-current/30 px-1 font-mono text-[11px] font-normal opacity-80 max-[900px]:hidden">{hint}</kbd>
      ) : null}
    </button>
  );
}

interface FieldProps {
  label: string;
  error?: string | undefined;
  help?: string | undefined;
  children: (props: { id: string; "aria-invalid"?: true; "aria-describedby"?: string }) => ReactNode;
}

/** A labelled field with its error in words. */
export function Field({ label, error: given, help, children }: FieldProps) {
  const id = useId();
  const [mended, setMended] = useState<{ refusal: number; error: string | undefined } | null>(null);
  // What was said of the field goes once it is edited, until it is refused again.
  const refusal = useRefusals();
  const error = mended?.refusal === refusal && mended.error === given ? undefined : given;
  const below = error ?? help;
  return (
    <div className="flex flex-col gap-1" onInput={error ? () => setMended({ refusal, error }) : undefined}>
      <label htmlFor={id} className="font-semibold text-ink-2">
        {label}
      </label>
      {children({
        id,
        ...(error ? { "aria-invalid": true as const } : {}),
        ...(below ? { "aria-describedby": `${id}-below` } : {}),
      })}
      {below ? (
        <p id={`${id}-below`} className={error ? "text-rust" : "text-ink-2"} role={error ? "alert" : undefined}>
          {below}
        </p>
      ) : null}
    </div>
  );
}

export const inputClass = "w-full rounded-small border border-line-2 bg-sheet px-2.5 py-1.5 text-ink aria-[invalid]:border-rust";

interface DialogProps {
  title: string;
  about?: ReactNode;
  isOpen: boolean;
  onClose: () => void;
  children: ReactNode;
  isWide?: boolean;
  /** All of the screen: three columns and a foot of its own. */
  isFull?: boolean;
}

/** A dialog that traps and returns the focus; what is typed in it is kept by its caller. */
export function Dialog({ title, about, isOpen, onClose, children, isWide = false, isFull = false }: DialogProps) {
  return (
    <RadixDialog.Root open={isOpen} onOpenChange={(open) => (open ? undefined : onClose())}>
      <RadixDialog.Portal>
        <RadixDialog.Overlay className="fixed inset-0 z-40 bg-bar/45" />
        <RadixDialog.Content
          {...(about ? {} : { "aria-describedby": undefined })}
          onKeyDown={(event) => {
            if (event.key !== "Enter" || !(event.ctrlKey || event.metaKey)) return;
            const form = (event.target as HTMLElement).closest("form") ?? event.currentTarget.querySelector("form");
            if (!form) return;
            event.preventDefault();
            form.requestSubmit();
          }}
          className={`fixed left-1/2 z-50 -translate-x-1/2 rounded-card border border-line bg-sheet ${
            isFull
              ? "top-[3vh] flex h-[94vh] w-[min(97vw,1360px)] flex-col overflow-hidden"
              : `top-[8vh] max-h-[86vh] w-[min(94vw,var(--w))] overflow-y-auto p-5 ${isWide ? "[--w:860px]" : "[--w:520px]"}`
          }`}
        >
          <div className={isFull ? "flex flex-wrap items-baseline gap-x-3 border-b border-line px-5 py-2.5" : ""}>
            <RadixDialog.Title className="text-lg font-bold">{title}</RadixDialog.Title>
            {about ? <RadixDialog.Description className="mt-0.5 text-ink-2">{about}</RadixDialog.Description> : null}
          </div>
          {isFull ? children : <div className="mt-4">{children}</div>}
        </RadixDialog.Content>
      </RadixDialog.Portal>
    </RadixDialog.Root>
  );
}

interface SwitchProps {
  /** What is chosen by it, for screen readers. */
  label: string;
  value: string;
  choices: { key: string; name: string }[];
  onChoose: (key: string) => void;
}

/** One of a few, all in view; joined, the chosen one solid. */
export function Switch({ label, value, choices, onChoose }: SwitchProps) {
  return (
    <span role="group" aria-label={label} className="inline-flex flex-wrap overflow-hidden rounded-small border border-line-2 bg-sheet">
      {choices.map((one) => (
        <button
          key={one.key}
          type="button"
          aria-pressed={one.key === value}
          className={`min-h-[26px] border-l border-line px-2.5 py-0.5 first:border-l-0 ${one.key === value ? "bg-ink font-semibold text-sheet" : "hover:bg-sea-3"}`}
          onClick={() => onChoose(one.key)}
        >
          {one.name}
        </button>
      ))}
    </span>
  );
}

export function ErrorNote({ children }: { children: ReactNode }) {
  return (
    <p role="alert" className="rounded-small border border-rust/40 bg-rust-2 px-3 py-2 text-ink">
      {children}
    </p>
  );
}

export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="px-6 py-14 text-center">
      <p className="text-lg font-bold">{title}</p>
      {children ? <p className="mt-1 text-ink-2">{children}</p> : null}
    </div>
  );
}

export function Loading({ what }: { what: string }) {
  return (
    <p role="status" className="px-6 py-10 text-ink-2">
      Reading {what}…
    </p>
  );
}
