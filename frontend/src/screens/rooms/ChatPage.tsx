import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { useNow } from "../../parts/hooks";
import { when } from "../../parts/time";
import { Button, Empty, ErrorNote, inputClass } from "../../parts/ui";
import { useTitle } from "../../shell/PageFocus";

/** The stand-in of an outside chat: what rooms say comes here, and what is written here goes to them. */
export function ChatPage() {
  useTitle("Outside chat, a stand-in");
  const now = useNow();
  const queries = useQueryClient();
  const [author, setAuthor] = useState("Duty master");
  const [text, setText] = useState("");
  const [chosen, setChosen] = useState<string>("");
  const { data, error } = useQuery({ queryKey: ["chat"], queryFn: () => ok(api.GET("/api/chat")), refetchInterval: 3_000 });
  const channels = [...new Map((data ?? []).map((one) => [`${one.room}-${one.channel}`, one])).entries()];
  const here = channels.find(([key]) => key === chosen) ?? channels[channels.length - 1];
  const lines = (data ?? []).filter((one) => here && one.room === here[1].room && one.channel === here[1].channel);
  const write = async () => {
    if (!here) return;
    try {
      await ok(api.POST("/api/chat", { body: { room: here[1].room, channel: here[1].channel, author, text } }));
      setText("");
      void queries.invalidateQueries({ queryKey: ["chat"] });
    } catch (problem) {
      toast.error(sentence(problem));
    }
  };
  return (
    <div className="mx-auto max-w-[760px] px-4 py-4">
      <h1 className="text-[20px] font-bold">Outside chat</h1>
      <p className="text-ink-2">
        This stands in for the chat that others use. Open channels of rooms whose plan says so are connected with it, both ways.
      </p>
      {error ? <ErrorNote>{sentence(error)}</ErrorNote> : null}
      {data && !here ? (
        <Empty title="Nothing has been said yet">What is said in a connected channel comes here within seconds.</Empty>
      ) : null}
      {here ? (
        <>
          <select aria-label="Channel" className={`${inputClass} mt-3`} value={here[0]} onChange={(event) => setChosen(event.target.value)}>
            {channels.map(([key, one]) => (
              <option key={key} value={key}>
                {one.title}
              </option>
            ))}
          </select>
          <ul className="mt-3 rounded-card border border-line bg-sheet px-3.5 py-2" aria-label="What was said">
            {lines.map((one) => (
              <li key={one.id} className="py-1">
                <b>{one.author}</b>{" "}
                <span className="text-[13px] text-ink-2">
                  {when(one.at_s, now)}
                  {one.is_from_room ? ", from the room" : ""}
                </span>
                <p className="whitespace-pre-wrap break-words">{one.text}</p>
              </li>
            ))}
          </ul>
          <form
            className="mt-2 flex flex-wrap gap-2"
            onSubmit={(event) => {
              event.preventDefault();
              if (text.trim() && author.trim()) void write();
            }}
          >
            <input
              aria-label="Who writes"
              className={`${inputClass} !w-[160px]`}
              value={author}
              onChange={(event) => setAuthor(event.target.value)}
            />
            <input
              aria-label="What is written"
              className={`${inputClass} !w-auto flex-1`}
              value={text}
              onChange={(event) => setText(event.target.value)}
            />
            <Button type="submit" tone="sea" disabled={!text.trim() || !author.trim()}>
              Write
            </Button>
          </form>
        </>
      ) : null}
    </div>
  );
}
