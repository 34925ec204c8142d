import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { useDebounced, useDraft } from "../../parts/hooks";
import { Dialog, ErrorNote, Field, inputClass, Switch } from "../../parts/ui";
import { Foot } from "../problems/Causes";
import { useRoomAct } from "./room";
import { type Room } from "./roomWords";

const EMPTY = { words: "Hello {name},\n\n", does: "tell" };
const DOES: Record<string, string> = { tell: "answer", resolve: "answer and resolve", leave: "leave" };

/** One text for all gathered incidents that are open, each shown with what would be done with it. */
export function TogetherDialog({ room, onClose }: { room: Room; onClose: () => void }) {
  const draft = useDraft(`room-together-${room.id}`, EMPTY);
  const [changed, setChanged] = useState<Record<number, string>>({});
  const [left, setLeft] = useState<{ id: number; why: string }[]>([]);
  const { act, isBusy, error, fields } = useRoomAct(room.id);
  const words = useDebounced(draft.body.words, 400);
  const { data } = useQuery({
    queryKey: ["room-together", room.id, words, draft.body.does],
    queryFn: () =>
      ok(
        api.POST("/api/rooms/{number}/together/preview", {
          params: { path: { number: room.id } },
          body: { words, does: draft.body.does },
        }),
      ),
    placeholderData: (before) => before,
  });
  const rows = (data ?? []).map((one) => ({ ...one, will: changed[one.id] ?? one.does }));
  const count = rows.filter((one) => one.will !== "leave").length;
  const unknown = rows[0]?.unknown[0];
  const send = async () => {
    await act(
      async () => {
        const found = await ok(
          api.POST("/api/rooms/{number}/together", {
            params: { path: { number: room.id } },
            body: { words: draft.body.words, incidents: rows.map((one) => ({ id: one.id, does: one.will })) },
          }),
        );
        toast(`${found.done.length} answered${found.left.length > 0 ? `, ${found.left.length} could not be` : ""}.`);
        setLeft(found.left);
        if (found.left.length === 0) {
          draft.clear();
          onClose();
        }
        return null;
      },
      "",
      true,
    );
  };
  return (
    <Dialog
      title="Answer together"
      about="Every requester gets the text in their own words: {name}, {number}, {title} and {place} stand for theirs."
      isOpen
      isWide
      onClose={onClose}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (!isBusy && count > 0) void send();
        }}
      >
        <Field label="What they read" error={fields.words ?? (unknown ? `{${unknown}} stands for nothing.` : undefined)}>
          {(props) => (
            <textarea
              {...props}
              rows={5}
              className={inputClass}
              value={draft.body.words}
              onChange={(event) => draft.set({ words: event.target.value })}
            />
          )}
        </Field>
        <Switch
          label="What is done with all"
          value={draft.body.does}
          choices={[
            { key: "tell", name: "Answer" },
            { key: "resolve", name: "Answer and resolve" },
          ]}
          onChoose={(does) => {
            setChanged({});
            draft.set({ does });
          }}
        />
        {rows[0] ? (
          <blockquote className="border-l-[3px] border-line-2 pl-2.5">
            <p className="text-[13px] text-ink-2">{rows[0].requester} reads:</p>
            <p className="whitespace-pre-wrap">{rows[0].text}</p>
          </blockquote>
        ) : null}
        <ul className="max-h-[32vh] overflow-y-auto">
          {rows.map((one) => (
            <li key={one.id} className="flex flex-wrap items-baseline gap-2 border-b border-line py-1">
              <span className="font-mono text-[13px] text-ink-2">{one.id}</span>
              <span className="min-w-0 flex-1">
                {one.title} <span className="text-[13px] text-ink-2">{one.requester}</span>
                {one.why ? <span className="block text-[13px] text-rust">{one.why}</span> : null}
                {left.find((each) => each.id === one.id) ? (
                  <span className="block text-[13px] text-rust">{left.find((each) => each.id === one.id)?.why}</span>
                ) : null}
              </span>
              <select
                aria-label={`What is done with ${one.id}`}
                className={`${inputClass} !w-auto`}
                value={one.will}
                onChange={(event) => setChanged({ ...changed, [one.id]: event.target.value })}
              >
                {one.may.map((does) => (
                  <option key={does} value={does}>
                    {DOES[does] ?? does}
                  </option>
                ))}
              </select>
            </li>
          ))}
        </ul>
        {error && Object.keys(fields).length === 0 ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
        <Foot label={`Answer ${count}`} isBusy={isBusy || count === 0 || Boolean(unknown)} onClose={onClose} isInView />
      </form>
    </Dialog>
  );
}
