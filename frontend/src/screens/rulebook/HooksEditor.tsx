import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok } from "../../api/client";
import { useNow } from "../../parts/hooks";
import { when } from "../../parts/time";
import { type Entry, NEEDLE, useEntry } from "./data";
import type { SectionSpec } from "./section/spec";
import { EditState, Part, smallInput, TextInput } from "./parts";

interface Hook extends Entry {
  name: string;
  url: string;
}

const useHooks = () =>
  useQuery({ queryKey: [...NEEDLE, "hooks"], queryFn: () => ok(api.GET("/api/rulebook/hooks")), refetchInterval: 5_000 }).data;

export const hooks: SectionSpec<Hook> = {
  section: "hooks",
  title: "Webhooks",
  one: "webhook",
  about:
    "Rules post to these. Each post is signed with HMAC-SHA256 over its time and body; only hosts named in the settings are posted to.",
  nameOf: (one) => one.name,
  freshName: "webhook",
  columns: [{ label: "address", of: (one) => one.url }],
  bulk: [],
  fresh: [{ label: "New webhook", make: (key) => ({ key, name: "Another system", url: "https://" }) }],
  Editor: HookEditor,
  below: <LastCalls />,
};

function LastCalls() {
  const now = useNow();
  const data = useHooks();
  return (
    <Part title="What was posted last">
      {data?.calls.length === 0 ? <p className="text-ink-2">Nothing yet.</p> : null}
      <ul>
        {data?.calls.map((call) => (
          <li key={call.id} className="grid grid-cols-[110px_minmax(0,1fr)_auto] gap-3 border-b border-line py-1">
            <span>{when(call.made_at_s, now)}</span>
            <span className="truncate">
              {call.name}, {call.article === null ? `ticket ${call.ticket ?? "that is gone"}` : `article ${call.article}`}{" "}
              <span className="text-ink-2">{call.answer}</span>
            </span>
            <span className={call.state === "given up" ? "text-rust" : ""}>
              {call.state}
              {call.status ? `, ${call.status}` : ""}
              {call.attempts > 1 ? `, ${call.attempts} attempts` : ""}
            </span>
          </li>
        ))}
      </ul>
    </Part>
  );
}

function HookEditor({ stored }: { stored: Hook }) {
  const secret = useHooks()?.secrets.find((one) => one.key === stored.key)?.secret ?? "";
  const editing = useEntry<Hook>("hooks", stored.key, stored);
  const [isShown, setShown] = useState(false);
  const hook = editing.value;
  return (
    <div>
      <EditState editing={editing} />
      <div className="flex flex-wrap gap-2">
        <TextInput
          label="Name"
          isName
          className={`${smallInput} w-56 font-bold`}
          value={hook.name}
          onChange={(name) => editing.set({ ...hook, name })}
        />
        <TextInput
          label="Address"
          className={`${smallInput} min-w-0 flex-1`}
          value={hook.url}
          onChange={(url) => editing.set({ ...hook, url })}
        />
      </div>
      <p className="mt-1 text-[13px] text-ink-2">
        {isShown ? (
          <code className="break-all">{secret}</code>
        ) : (
          <button type="button" className="why" onClick={() => setShown(true)}>
            show the key it is signed with
          </button>
        )}
      </p>
    </div>
  );
}
