import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { Button, inputClass } from "../../parts/ui";
import type { LaneBy, SpanKey } from "./lanes";

type View = components["schemas"]["ScheduleViewShape"];

interface ViewsProps {
  span: SpanKey;
  by: LaneBy;
  words: string;
  onChoose: (view: { span: string; by: string; words: string }) => void;
}

/** Views of the schedule that are kept: one's own and shared ones, each with a link for calendars. */
export function ScheduleViews({ span, by, words, onChoose }: ViewsProps) {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [isShared, setShared] = useState(false);
  const [link, setLink] = useState<{ id: number; address: string } | null>(null);
  const { data } = useQuery({ queryKey: ["schedule views"], queryFn: () => ok(api.GET("/api/changes/views")), staleTime: 60_000 });
  const run = async (work: Promise<View[]>, said: string) => {
    try {
      queries.setQueryData(["schedule views"], await work);
      toast(said);
      return true;
    } catch (error) {
      toast.error(sentence(error));
      return false;
    }
  };
  const keep = async () => {
    const body = { name, span, lanes: by, words, is_shared: isShared };
    if (await run(ok(api.POST("/api/changes/views", { body })), `“${name.trim()}” is kept.`)) setName("");
  };
  const feed = async (view: View) => {
    try {
      const made = await ok(api.POST("/api/changes/views/{number}/feed", { params: { path: { number: view.id } } }));
      setLink({ id: view.id, address: `${window.location.origin}${made.path}` });
      void queries.invalidateQueries({ queryKey: ["schedule views"] });
    } catch (error) {
      toast.error(sentence(error));
    }
  };
  const close = async (view: View) => {
    try {
      await ok(api.DELETE("/api/changes/views/{number}/feed", { params: { path: { number: view.id } } }));
      setLink(null);
      toast("The link opens nothing any more.");
      void queries.invalidateQueries({ queryKey: ["schedule views"] });
    } catch (error) {
      toast.error(sentence(error));
    }
  };
  return (
    <Popover.Root onOpenChange={() => setLink(null)}>
      <Popover.Trigger className="h-[30px] rounded-small border border-line-2 bg-sheet px-2.5 font-semibold hover:bg-sea-3 max-[900px]:h-[38px]">
        Views
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          className="z-40 w-[min(380px,94vw)] rounded-card border border-line-2 bg-sheet p-3 shadow-xl"
        >
          {(data ?? []).length === 0 ? <p className="text-ink-2">None is kept yet: keep the schedule as you see it now.</p> : null}
          <ul>
            {(data ?? []).map((view) => (
              <li key={view.id} className="border-b border-line py-1.5 last:border-0">
                <p className="flex items-baseline gap-2">
                  <button
                    type="button"
                    className="min-h-[24px] min-w-0 flex-1 truncate text-left font-semibold hover:underline"
                    onClick={() => onChoose({ span: view.span, by: view.lanes, words: view.words })}
                  >
                    {view.name}
                  </button>
                  <span className="text-[13px] text-ink-2">{view.is_mine ? (view.is_shared ? "shared" : "mine") : view.owner}</span>
                </p>
                <p className="flex flex-wrap gap-x-3 text-[13px]">
                  <button
                    type="button"
                    className="min-h-[24px] underline"
                    aria-label={`Link to ${view.name}`}
                    onClick={() => void feed(view)}
                  >
                    {view.is_fed ? "new link for my calendar" : "link for my calendar"}
                  </button>
                  {view.is_fed ? (
                    <button
                      type="button"
                      className="min-h-[24px] underline"
                      aria-label={`End the link to ${view.name}`}
                      onClick={() => void close(view)}
                    >
                      end the link
                    </button>
                  ) : null}
                  {view.is_mine ? (
                    <button
                      type="button"
                      className="min-h-[24px] underline"
                      aria-label={`Remove ${view.name}`}
                      onClick={() =>
                        void run(
                          ok(api.DELETE("/api/changes/views/{number}", { params: { path: { number: view.id } } })),
                          `“${view.name}” is removed.`,
                        )
                      }
                    >
                      remove
                    </button>
                  ) : null}
                </p>
                {link?.id === view.id ? (
                  <p className="mt-1 rounded-small bg-note px-2 py-1.5 text-[13px]">
                    <input
                      readOnly
                      aria-label="The link"
                      className={`${inputClass} font-mono text-[12px]`}
                      value={link.address}
                      onFocus={(event) => event.target.select()}
                    />
                    Whoever has it reads this view as you do. It is shown once; a new one ends it.
                  </p>
                ) : null}
              </li>
            ))}
          </ul>
          <form
            className="mt-2 flex flex-wrap items-center gap-2"
            onSubmit={(event) => {
              event.preventDefault();
              if (name.trim() !== "") void keep();
            }}
          >
            <input
              aria-label="Name of the view"
              placeholder="Save this as…"
              maxLength={80}
              className={`${inputClass} !w-[170px] flex-1`}
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
            <label className="flex min-h-[24px] items-center gap-1.5">
              <input type="checkbox" checked={isShared} onChange={(event) => setShared(event.target.checked)} /> shared
            </label>
            <Button type="submit" disabled={name.trim() === ""}>
              Keep
            </Button>
          </form>
          <p className="mt-2 border-t border-line pt-2 text-[13px]">
            <a className="underline" href="/api/changes/windows/calendar" download>
              Windows and freezes as a calendar
            </a>
          </p>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
