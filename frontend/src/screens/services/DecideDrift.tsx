import { useQueryClient } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { Button, inputClass } from "../../parts/ui";

/** What becomes of one difference: what was seen counts, or somebody says why it is right for now. */
export function DecideDrift({ item, attribute }: { item: number; attribute: components["schemas"]["AttributeShape"] }) {
  const queries = useQueryClient();
  const [isOpen, setOpen] = useState(false);
  const [why, setWhy] = useState(attribute.explained);
  const decide = async (does: "accept" | "explain" | "take back", said = why) => {
    try {
      const after = await ok(
        api.POST("/api/estate/items/{number}/drift", {
          params: { path: { number: item } },
          body: { does, attribute: attribute.key, why: said },
        }),
      );
      queries.setQueryData(["item", item], after);
      void queries.invalidateQueries({ queryKey: ["drift"] });
      if (does === "accept")
        toast(`${attribute.label} is recorded as ${attribute.seen}.`, {
          action: { label: "Undo", onClick: () => void decide("take back", "") },
        });
      else toast(does === "explain" ? "Said." : `${attribute.label} is recorded as it was.`);
      setOpen(false);
    } catch (error) {
      toast.error(sentence(error));
    }
  };
  return (
    <Popover.Root open={isOpen} onOpenChange={setOpen}>
      <Popover.Trigger className="whitespace-nowrap font-semibold underline" aria-label={`decide ${attribute.label}`}>
        decide…
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          collisionPadding={12}
          aria-label={`What becomes of ${attribute.label}`}
          className="z-40 w-[300px] rounded-card border border-line-2 bg-sheet p-3 text-[14px] text-ink shadow-lg"
        >
          <Button onClick={() => void decide("accept")}>Record {attribute.seen}</Button>
          <form
            className="mt-3 flex flex-col gap-2"
            onSubmit={(event) => {
              event.preventDefault();
              void decide("explain");
            }}
          >
            <label>
              Or say why it is right for now
              <input
                className={`${inputClass} mt-1`}
                placeholder="It is being changed by…"
                maxLength={200}
                value={why}
                onChange={(event) => setWhy(event.target.value)}
              />
            </label>
            <span className="flex gap-2">
              <Button type="submit" disabled={!why.trim() || why === attribute.explained}>
                Explain it
              </Button>
              {attribute.explained ? <Button onClick={() => void decide("explain", "")}>No longer</Button> : null}
            </span>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
