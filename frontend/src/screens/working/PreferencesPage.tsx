import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api, ok, sentence } from "../../api/client";
import { Loading } from "../../parts/ui";
import { canShow, isWanted, want } from "../../shell/desktop";
import { useSession } from "../../shell/session";
import { eventWords } from "../rulebook/who";

const input = "rounded-small border border-line-2 bg-sheet px-2 py-0.5";

/** What I want to be told by mail, at once, gathered, or never; my own quiet hours. */
export function PreferencesPage() {
  const queries = useQueryClient();
  const { data } = useQuery({ queryKey: ["preferences"], queryFn: () => ok(api.GET("/api/preferences")) });
  const keep = useMutation({
    mutationFn: (body: Record<string, unknown>) => ok(api.PUT("/api/preferences", { body: body as never })),
    onSuccess: (next) => {
      queries.setQueryData(["preferences"], next);
      toast("Saved.");
    },
    onError: (error) => toast.error(sentence(error)),
  });
  if (!data) return <Loading what="your preferences" />;
  const quiet = data.quiet as { from?: string; to?: string } | null;
  const set = (change: Record<string, unknown>) =>
    keep.mutate({ events: data.events, quiet: data.quiet, digest_at: data.digest_at, ...change });
  return (
    <div className="mx-auto max-w-[720px] px-5 py-4">
      <h1 className="text-[21px] font-bold">Notification settings</h1>
      <p className="text-ink-2">By mail, about what I hold or follow. What I asked for myself always comes at once.</p>
      <table className="mt-3 w-full">
        <tbody>
          {data.choices.map((event) => (
            <tr key={event} className="border-b border-line">
              <th scope="row" className="py-1.5 text-left font-normal">
                When {eventWords(event)}
              </th>
              {data.wishes.map((wish) => (
                <td key={wish} className="py-1.5 pl-4">
                  <label className="flex items-center gap-1.5">
                    <input
                      type="radio"
                      name={event}
                      checked={(data.events[event] ?? "at once") === wish}
                      onChange={() => set({ events: { ...data.events, [event]: wish } })}
                    />
                    {wish}
                  </label>
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <fieldset className="mt-4">
        <legend className="font-bold">Also tell me</legend>
        {data.others.map(({ event, words }) => (
          <label key={event} className="flex min-h-[28px] items-center gap-1.5">
            <input
              type="checkbox"
              checked={data.events[event] !== "never"}
              onChange={(change) => set({ events: { ...data.events, [event]: change.target.checked ? "at once" : "never" } })}
            />
            {words}
          </label>
        ))}
      </fieldset>
      <Desktop />
      <p className="mt-4 flex flex-wrap items-center gap-2">
        My digest comes at{" "}
        <input
          type="time"
          aria-label="Digest at"
          className={input}
          defaultValue={data.digest_at}
          onBlur={(event) =>
            event.target.value && event.target.value !== data.digest_at ? set({ digest_at: event.target.value }) : undefined
          }
        />
      </p>
      <p className="mt-2 flex flex-wrap items-center gap-2">
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={quiet !== null}
            onChange={(event) => set({ quiet: event.target.checked ? { from: "22:00", to: "06:00" } : null })}
          />{" "}
          Quiet hours of my own
        </label>
        {quiet ? (
          <>
            from{" "}
            <input
              type="time"
              aria-label="Quiet from"
              className={input}
              value={quiet.from ?? ""}
              onChange={(event) => (event.target.value ? set({ quiet: { ...quiet, from: event.target.value } }) : undefined)}
            />{" "}
            to{" "}
            <input
              type="time"
              aria-label="Quiet to"
              className={input}
              value={quiet.to ?? ""}
              onChange={(event) => (event.target.value ? set({ quiet: { ...quiet, to: event.target.value } }) : undefined)}
            />
          </>
        ) : null}
      </p>
    </div>
  );
}

/** Notifications on the desktop of this computer, for those who want them; the browser asks first. */
function Desktop() {
  const { me } = useSession();
  const [isOn, setOn] = useState(() => me !== null && isWanted(me.id));
  const [isRefused, setRefused] = useState(false);
  if (!me || !canShow) return null;
  return (
    <p className="mt-4">
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          checked={isOn}
          onChange={(event) => {
            const wish = event.target.checked;
            void want(me.id, wish).then((done) => {
              setOn(done);
              setRefused(wish && !done);
            });
          }}
        />{" "}
        Show notifications on the desktop of this computer while Gannet is out of sight
      </label>
      {isRefused ? (
        <span role="alert" className="block text-[13px] text-rust">
          This browser does not let Gannet show them. Allow notifications for this address in its settings.
        </span>
      ) : null}
    </p>
  );
}
