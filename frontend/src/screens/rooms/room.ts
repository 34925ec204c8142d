import { type QueryClient, type QueryKey, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { toast } from "sonner";
import { api, ok, Problem, sentence } from "../../api/client";
import type { components } from "../../api/schema";
import { onTouched } from "../../shell/live";
import type { Room } from "./roomWords";

export type Channel = components["schemas"]["RoomChannelShape"];
export type Message = components["schemas"]["RoomMessageShape"];
export type TimelineEntry = components["schemas"]["RoomEntryShape"];

const roomKey = (number: number) => ["room", number];
export const timelineKey = (number: number) => ["room-timeline", number];
export const messagesKey = (number: number) => ["room-messages", number];

export function useRoom(number: number) {
  return useQuery({
    queryKey: roomKey(number),
    queryFn: () => ok(api.GET("/api/rooms/{number}", { params: { path: { number } } })),
    retry: (count, error) => !(error instanceof Problem) && count < 2,
    // Who has no live stream of the desk still sees news within some seconds.
    refetchInterval: 20_000,
  });
}

/**
 * Reads again what something concerns: a word only the conversation, at once; the rest of the
 * room follows some moments later, so that sixty people do not ask for all of it in one.
 */
export function useRoomNews(number: number): void {
  const queries = useQueryClient();
  useEffect(() => {
    let later: ReturnType<typeof setTimeout> | undefined;
    const read = (key: QueryKey) => void queries.invalidateQueries({ queryKey: key });
    const stop = onTouched((tickets, news) => {
      if (tickets !== null && !tickets.includes(number)) return;
      const one = news?.get(number);
      const kinds = one ? (one.kinds ?? [one.kind]) : [];
      if (kinds.length === 0 || !kinds.every((kind) => kind in CONCERNS)) {
        readRoomAgain(queries, number);
        return;
      }
      for (const kind of kinds) for (const part of CONCERNS[kind] ?? []) read([part, number]);
      later ??= setTimeout(
        () => {
          later = undefined;
          read(roomKey(number));
        },
        1_500 + Math.random() * 4_000,
      );
    });
    return () => {
      stop();
      clearTimeout(later);
    };
  }, [number, queries]);
}

/** Which parts of the page are concerned at once by what happens by the thousand. */
const CONCERNS: Record<string, string[]> = {
  "said in the room": ["room-messages"],
  "timeline written": ["room-timeline", "room-messages"],
  "room file kept": ["room", "room-messages"],
};

function readRoomAgain(queries: QueryClient, number: number): void {
  for (const key of [roomKey(number), timelineKey(number), messagesKey(number)]) void queries.invalidateQueries({ queryKey: key });
}

/** An act in the room: what it answers is the room itself, or nothing; refusals are kept for the form. */
export function useRoomAct(number: number) {
  const queries = useQueryClient();
  const [isBusy, setBusy] = useState(false);
  const [error, setError] = useState<unknown>(null);
  const act = async (does: () => Promise<unknown>, said = "", isForm = false): Promise<boolean> => {
    setBusy(true);
    setError(null);
    try {
      const answer = await does();
      if (isRoom(answer) && answer.id === number) queries.setQueryData(roomKey(number), answer);
      readRoomAgain(queries, number);
      for (const key of [["ticket", number], ["majors"]]) void queries.invalidateQueries({ queryKey: key });
      if (said) toast(said);
      return true;
    } catch (problem) {
      if (isForm) setError(problem);
      else toast.error(sentence(problem));
      return false;
    } finally {
      setBusy(false);
    }
  };
  const fields: Record<string, string> = error instanceof Problem ? error.fields : {};
  return { act, isBusy, error, fields, forget: () => setError(null) };
}

function isRoom(answer: unknown): answer is Room {
  return typeof answer === "object" && answer !== null && "call_sign" in answer && "channels" in answer;
}
