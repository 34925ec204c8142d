import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { type Ref, useState } from "react";
import { Link } from "react-router";
import { api, ok } from "../../../api/client";
import { useNow } from "../../../parts/hooks";
import { when } from "../../../parts/time";
import { Button } from "../../../parts/ui";
import { type Entry, type EntryAbout, type Finding, NEEDLE, useOverview } from "../data";
import { roomLink } from "../rooms";
import type { SectionSpec } from "./spec";

interface PaneProps<T extends Entry> {
  ref: Ref<HTMLElement>;
  spec: SectionSpec<T>;
  one: T;
  place: number;
  count: number;
  about: EntryAbout | undefined;
  findings: Finding[];
  onCopy: () => void;
  onRename: () => void;
  onRemove: () => void;
  onClose: () => void;
}

/** One entry: what is to be fixed in it, its editor, what names it, who changed it. */
export function EntryPane<T extends Entry>(props: PaneProps<T>) {
  const { spec, one, about, findings } = props;
  const [isRemoving, setRemoving] = useState(false);
  const uses = about?.uses ?? [];
  const { Editor } = spec;
  return (
    <section ref={props.ref} aria-label={spec.nameOf(one)} className="min-w-0 px-5 py-3">
      <div className="mb-2 flex flex-wrap items-center gap-2">
        <p className="mr-auto text-[13px] text-ink-2">
          {spec.one}
          {props.place >= 0 ? ` · ${props.place + 1} of ${props.count}` : ""}
          {spec.isOff?.(one) ? " · off" : ""}
        </p>
        <Button tone="quiet" onClick={props.onCopy}>
          Copy
        </Button>
        <Button tone="quiet" onClick={props.onRename}>
          Rename
        </Button>
        <Button tone="quiet" onClick={() => (uses.length > 0 ? setRemoving(true) : props.onRemove())}>
          {uses.length > 0 ? "Remove…" : "Remove"}
        </Button>
        <button
          type="button"
          aria-label="Close the entry"
          className="grid h-[28px] w-[28px] place-items-center rounded text-ink-2 hover:bg-sea-3 hover:text-ink"
          onClick={props.onClose}
        >
          <X size={17} aria-hidden="true" />
        </button>
      </div>
      {isRemoving ? (
        <div role="alert" className="mb-3 flex flex-wrap items-center gap-3 rounded-small border border-crown bg-crown-2 px-3 py-2">
          <span className="flex-1">
            <b>It is used by {uses.length === 1 ? uses[0]?.name : `${uses.length} others`}.</b> The draft cannot be published until{" "}
            {uses.length === 1 ? "that names" : "those name"} something else.
          </span>
          <Button onClick={() => setRemoving(false)}>Cancel</Button>
          <Button tone="sea" onClick={props.onRemove}>
            Remove it all the same
          </Button>
        </div>
      ) : null}
      {findings.map((found, index) => (
        <div
          key={index}
          className={`mb-2 rounded-small px-3 py-2 ${found.severity === "error" ? "bg-rust-2" : "bg-crown-2"}`}
          role={found.severity === "error" ? "alert" : undefined}
        >
          <b>{found.severity === "error" ? "To fix: " : "To consider: "}</b>
          {found.says} {found.why} {found.do}
        </div>
      ))}
      <Editor stored={one} />
      <div className="mt-5 border-t border-line pt-2">
        <Uses uses={uses} />
        <Changed section={spec.section} one={one.key} changed={about?.changed ?? null} />
      </div>
    </section>
  );
}

function Uses({ uses }: { uses: EntryAbout["uses"] }) {
  const sections = useOverview().data?.sections ?? [];
  return (
    <>
      <p className="font-bold">
        Used by <span className="font-normal text-ink-2">{uses.length || "nothing"}</span>
      </p>
      <ul className="mb-3">
        {uses.map((use, index) => (
          <li key={index} className="grid grid-cols-[130px_minmax(0,1fr)_auto] gap-3 border-b border-line py-0.5">
            <span className="text-[13px] text-ink-2">{sections.find((one) => one.name === use.section)?.one ?? "people"}</span>
            {use.section ? (
              <Link className="truncate hover:underline" to={roomLink(use.section, use.key)}>
                {use.name}
              </Link>
            ) : (
              <span>{use.name}</span>
            )}
            <span className="text-[13px] text-ink-2">{use.place}</span>
          </li>
        ))}
      </ul>
    </>
  );
}

function Changed({ section, one, changed }: { section: string; one: string; changed: EntryAbout["changed"] }) {
  const now = useNow();
  const [isOpen, setOpen] = useState(false);
  const history = useQuery({
    queryKey: [...NEEDLE, "history", section, one],
    queryFn: () => ok(api.GET("/api/rulebook/entry-history", { params: { query: { section, key: one } } })),
    enabled: isOpen,
  });
  if (!changed) return <p className="text-[13px] text-ink-2">As it was in the first edition.</p>;
  const earlier = (history.data ?? []).filter((entry) => entry.edition !== changed.edition);
  return (
    <div className="text-[13px] text-ink-2">
      <p>
        Changed {when(changed.at_s, now)} by <b>{changed.by}</b>
        {changed.edition ? `, edition ${changed.edition}` : ", in the draft"}
        {changed.sentences.length > 0 ? `: ${changed.sentences.join("; ")}` : ""}.{" "}
        {isOpen ? null : (
          <button type="button" className="why" onClick={() => setOpen(true)}>
            Earlier
          </button>
        )}
      </p>
      {isOpen && history.data ? (
        <ul>
          {earlier.map((entry) => (
            <li key={entry.edition}>
              {when(entry.at_s, now)} by <b>{entry.by}</b>, edition {entry.edition}: {entry.sentences.join("; ")}
            </li>
          ))}
          {earlier.length === 0 ? <li>Before that as it was in the first edition.</li> : null}
        </ul>
      ) : null}
    </div>
  );
}
