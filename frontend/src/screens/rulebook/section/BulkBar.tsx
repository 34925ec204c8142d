import { X } from "lucide-react";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../../api/client";
import { Button } from "../../../parts/ui";
import { type Entry, useBook, useReadAgain } from "../data";
import { same } from "../edits";
import { useUndo } from "./SectionPage";
import type { SectionSpec } from "./spec";

interface BulkProps<T extends Entry> {
  spec: SectionSpec<T>;
  entries: T[];
  usesOf: (key: string) => number;
  onDone: () => void;
}

const field = "rounded-small border border-line-2 bg-sheet px-2 py-1 text-ink";

/** What is done to several entries at once: one property set, or all of them removed. */
export function BulkBar<T extends Entry>({ spec, entries, usesOf, onDone }: BulkProps<T>) {
  const book = useBook();
  const readAgain = useReadAgain();
  const undo = useUndo();
  const [name, setName] = useState("");
  const [value, setValue] = useState<string | null>(null);
  const chosen = spec.bulk.find((one) => one.name === name);
  const next = (one: T): T => {
    if (!chosen || value === null) return one;
    const given = chosen.value ? chosen.value(value) : value;
    const rest = Object.entries(one).filter(([key]) => key !== chosen.name);
    return Object.fromEntries(given === "" || given === undefined ? rest : [...rest, [chosen.name, given]]) as T;
  };
  const differing = entries.filter((one) => !same(one, next(one)));
  const used = entries.filter((one) => usesOf(one.key) > 0).length;
  const change = useMutation({
    mutationFn: (changes: { key: string; before: unknown; after: unknown }[]) =>
      ok(api.POST("/api/rulebook/draft/many-edits", { body: { section: spec.section, changes: changes as never } })),
    onSuccess: (_, changes) => {
      readAgain();
      onDone();
      toast(`${changes.length} changed in the draft.`, { action: { label: "Undo", onClick: () => undo.mutate() } });
    },
    onError: (error) => toast.error(sentence(error)),
  });
  const count = entries.length;
  return (
    <div role="region" aria-label="What is chosen" className="sticky bottom-0 z-10 bg-bar px-4 py-2.5 text-white">
      <div className="flex flex-wrap items-center gap-2">
        <b>{count} chosen</b>
        {spec.bulk.length > 0 ? (
          <>
            <label className="flex items-center gap-2">
              set
              <select
                aria-label="What to set"
                className={field}
                value={name}
                onChange={(event) => {
                  setName(event.target.value);
                  setValue(null);
                }}
              >
                <option value="">choose…</option>
                {spec.bulk.map((one) => (
                  <option key={one.name} value={one.name}>
                    {one.label}
                  </option>
                ))}
              </select>
            </label>
            {chosen ? (
              <label className="flex items-center gap-2">
                to
                <select
                  aria-label={`${chosen.label} of all that are chosen`}
                  className={`${field} max-w-[240px]`}
                  value={value === null ? "?" : value}
                  onChange={(event) => setValue(event.target.value)}
                >
                  <option value="?" disabled>
                    choose…
                  </option>
                  {chosen.choices(book).map((one) => (
                    <option key={one.key} value={one.key}>
                      {one.name}
                    </option>
                  ))}
                </select>
              </label>
            ) : null}
            {value === null ? null : (
              <Button
                tone="sea"
                disabled={differing.length === 0 || change.isPending}
                onClick={() => change.mutate(differing.map((one) => ({ key: one.key, before: one, after: next(one) })))}
              >
                {differing.length === 0 ? "All are so already" : `Change ${differing.length} in the draft`}
              </Button>
            )}
          </>
        ) : null}
        <span className="flex-1" />
        <button
          type="button"
          className="underline underline-offset-2"
          disabled={change.isPending}
          title={used > 0 ? `${used} of them ${used === 1 ? "is" : "are"} used; Checks will ask for something else there` : undefined}
          onClick={() => change.mutate(entries.map((one) => ({ key: one.key, before: one, after: null })))}
        >
          Remove {count}
        </button>
        <button type="button" aria-label="Choose none" className="grid h-[28px] w-[28px] place-items-center" onClick={onDone}>
          <X size={16} aria-hidden="true" />
        </button>
      </div>
      {used > 0 && value === null ? (
        <p className="text-[13px] opacity-80">
          {used} of them {used === 1 ? "is" : "are"} used by others.
        </p>
      ) : null}
    </div>
  );
}
