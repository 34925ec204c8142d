import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ok } from "../../api/client";
import { useNow } from "../../parts/hooks";
import { when } from "../../parts/time";
import { Button } from "../../parts/ui";
import { type Entry, NEEDLE, useBook, useEdit, useEntry } from "./data";
import { keyFrom } from "./edits";
import { entriesOf } from "./edits";
import { EditState, Part, smallInput, TextInput } from "./parts";

interface Hook extends Entry {
  name: string;
  url: string;
}

export function HooksEditor() {
  const { document } = useBook();
  const edit = useEdit();
  const now = useNow();
  const hooks = entriesOf<Hook>(document, "hooks");
  const { data } = useQuery({ queryKey: [...NEEDLE, "hooks"], queryFn: () => ok(api.GET("/api/rulebook/hooks")), refetchInterval: 5_000 });
  return (
    <>
      <p className="text-ink-2">
        Rules post to these. Each post is signed with HMAC-SHA256 over its time and body; only hosts named in the settings are posted to.
      </p>
      <ul className="mt-2">
        {hooks.map((hook) => (
          <HookLine key={hook.key} stored={hook} secret={data?.secrets.find((one) => one.key === hook.key)?.secret ?? ""} />
        ))}
      </ul>
      <Button
        className="mt-2"
        onClick={() => {
          const key = keyFrom(
            "webhook",
            hooks.map((one) => one.key),
          );
          edit.mutate({ section: "hooks", key, before: null, after: { key, name: "Another system", url: "https://" } });
        }}
      >
        Add a webhook
      </Button>
      <Part title="What was posted last">
        {data?.calls.length === 0 ? <p className="text-ink-2">Nothing yet.</p> : null}
        <ul>
          {data?.calls.map((call) => (
            <li key={call.id} className="grid grid-cols-[110px_minmax(0,1fr)_auto] gap-3 border-b border-line py-1">
              <span>{when(call.made_at_s, now)}</span>
              <span className="truncate">
                {call.name}, ticket {call.ticket} <span className="text-ink-2">{call.answer}</span>
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
    </>
  );
}

function HookLine({ stored, secret }: { stored: Hook; secret: string }) {
  const editing = useEntry<Hook>("hooks", stored.key, stored);
  const edit = useEdit();
  const [isShown, setShown] = useState(false);
  const hook = editing.value;
  return (
    <li className="border-b border-line py-2">
      <EditState editing={editing} />
      <div className="flex flex-wrap gap-2">
        <TextInput
          label="Name"
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
        <button
          type="button"
          aria-label={`Remove ${hook.name}`}
          className="px-1 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
          onClick={() => edit.mutate({ section: "hooks", key: hook.key, before: stored, after: null })}
        >
          ×
        </button>
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
    </li>
  );
}
