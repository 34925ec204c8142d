import { useMutation } from "@tanstack/react-query";
import { Plus } from "lucide-react";
import { useEffect, useMemo, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { toast } from "sonner";
import { api, ok, sentence } from "../../../api/client";
import { Button, Empty } from "../../../parts/ui";
import { type Entry, useBook, useEdit, useEntries, useReadAgain, useReview } from "../data";
import { entriesOf, keyFrom } from "../edits";
import { listed } from "../entries";
import { smallInput } from "../parts";
import { BulkBar } from "./BulkBar";
import { EntryPane } from "./EntryPane";
import { type Row, SectionList } from "./SectionList";
import type { SectionSpec } from "./spec";

export interface Sorted {
  by: string;
  isDown: boolean;
}

/** A section of the rulebook: its entries as a list that one searches, and one of them beside it. */
export function SectionPage<T extends Entry>({ spec }: { spec: SectionSpec<T> }) {
  const book = useBook();
  const [params, setParams] = useSearchParams();
  const edit = useEdit();
  const undo = useUndo();
  const about = useEntries(spec.section);
  const review = useReview(book.which === "draft").data;
  const [words, setWords] = useState(params.get("q") ?? "");
  const [sorted, setSorted] = useState<Sorted | null>(spec.isOrdered ? null : { by: "name", isDown: false });
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const list = useRef<HTMLDivElement>(null);
  const pane = useRef<HTMLElement>(null);
  const all = entriesOf<T>(book.document, spec.section);
  const openKey = params.get("open");
  const open = all.find((one) => one.key === openKey);

  const rows = useMemo(() => {
    const toFix = new Map<string, boolean>();
    for (const one of review?.findings ?? [])
      if (one.section === spec.section) toFix.set(one.key, (toFix.get(one.key) ?? false) || one.severity === "error");
    return all.map((one, index): Row<T> => {
      const { uses = [], changed = null } = about.get(one.key) ?? {};
      const cells = spec.columns.map((column) => column.of(one, book));
      const found = toFix.get(one.key);
      const marker = found === undefined ? "" : found ? "to fix" : "to consider";
      return { one, key: one.key, name: spec.nameOf(one), index, cells, uses, changed, marker, isOff: spec.isOff?.(one) ?? false };
    });
  }, [all, about, book, review, spec]);

  const groups = useMemo(() => {
    const at = spec.columns.findIndex((column) => column.label === sorted?.by);
    const sortOf = !sorted
      ? undefined
      : (row: Row<T>) =>
          sorted.by === "used by"
            ? String(row.uses.length)
            : sorted.by === "last change"
              ? String(row.changed?.at_s ?? 0)
              : at >= 0
                ? (row.cells[at] ?? "")
                : row.name;
    const order = spec.groupOrder?.(book);
    const found = listed(rows, words, {
      nameOf: (row) => row.name,
      groupOf: spec.groupOf ? (row) => spec.groupOf?.(row.one, book) ?? "" : undefined,
      wordsOf: (row) => [spec.wordsOf?.(row.one), ...row.cells].filter(Boolean).join(" "),
      sortOf,
      isDown: sorted?.isDown,
    });
    if (order) found.sort((one, other) => place(order, one.name) - place(order, other.name));
    return found;
  }, [rows, words, sorted, spec, book]);
  const flat = groups.flatMap((group) => group.entries);

  const show = (key: string | null, { isMove = false } = {}) => {
    const next = new URLSearchParams(words ? { q: words } : {});
    if (key) next.set("open", key);
    setParams(next, { replace: isMove });
  };
  const focusRow = (key: string) => {
    // At once where it is there: the next key is meant for it.
    const row = () => list.current?.querySelector<HTMLElement>(`[data-row="${CSS.escape(key)}"]`);
    const found = row();
    found?.focus();
    if (!found) setTimeout(() => row()?.focus(), 0);
  };
  const focusName = () =>
    setTimeout(() => {
      const field = pane.current?.querySelector<HTMLInputElement>("[data-name]");
      field?.focus();
      field?.select();
    }, 60);
  const put = (one: T) =>
    edit.mutate(
      { section: spec.section, key: one.key, before: null, after: one, ...(spec.isNewFirst ? { position: 0 } : {}) },
      {
        onSuccess: () => {
          setWords("");
          show(one.key);
          focusName();
        },
      },
    );
  const freeKey = (name: string) => {
    const key = keyFrom(name, [...all.map((one) => one.key), ...(spec.taken?.(book) ?? [])], spec.keyJoiner);
    return spec.keyJoiner === "_" ? key.replace(/^[^a-z]+/, "f_") : key;
  };
  const copy = (one: T) => {
    const name = `${spec.nameOf(one)} (copy)`;
    put(spec.renamed?.({ ...one, key: freeKey(name) }, name) ?? { ...one, key: freeKey(name), name });
  };
  const remove = (one: T) =>
    edit.mutate(
      { section: spec.section, key: one.key, before: one, after: null },
      {
        onSuccess: () => {
          const at = flat.findIndex((row) => row.key === one.key);
          const next = flat[at + 1] ?? flat[at - 1];
          show(null, { isMove: true });
          if (next) focusRow(next.key);
          toast(`${spec.nameOf(one)}: removed from the draft.`, { action: { label: "Undo", onClick: () => undo.mutate() } });
        },
      },
    );
  const move = (row: Row<T>, to: number) =>
    edit.mutate(
      { section: spec.section, key: row.key, before: row.one, after: row.one, position: to },
      { onSuccess: () => focusRow(row.key) },
    );
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key !== "/" || event.ctrlKey || event.metaKey || isTyping(event.target)) return;
      if (document.querySelector("[role=dialog]")) return;
      event.preventDefault();
      list.current?.querySelector<HTMLElement>("[data-search]")?.focus();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  const rename = (key: string) => {
    show(key, { isMove: openKey !== null });
    focusName();
  };

  return (
    <div className={open ? "grid grid-cols-[minmax(220px,300px)_minmax(0,1fr)] max-[900px]:grid-cols-1" : ""}>
      <div
        ref={list}
        className={`flex min-w-0 flex-col ${open ? "sticky top-[48px] h-[calc(100vh-48px)] border-r border-line max-[900px]:hidden" : "min-h-[calc(100vh-96px)]"}`}
      >
        <div className={`flex flex-wrap items-center gap-x-3 gap-y-1.5 px-4 pt-3 ${open ? "pb-2" : "pb-1"}`}>
          <h1 className="text-[19px] font-bold">{spec.title}</h1>
          <span className="relative min-w-[170px] flex-1">
            <input
              data-search
              aria-label={`Search ${spec.title.toLowerCase()}`}
              placeholder="Search…"
              className={`${smallInput} w-full py-1 pr-20`}
              value={words}
              onChange={(event) => setWords(event.target.value)}
              onKeyDown={(event) => {
                const first = flat[0];
                if (event.key === "Escape" && words) setWords("");
                else if ((event.key === "ArrowDown" || event.key === "Enter") && first) {
                  focusRow(first.key);
                  if (event.key === "Enter") show(first.key, { isMove: openKey !== null });
                } else return;
                event.preventDefault();
              }}
            />
            <span role="status" className="pointer-events-none absolute right-2 top-1/2 -translate-y-1/2 text-[13px] text-ink-2">
              {words ? `${flat.length} of ${all.length}` : all.length}
            </span>
          </span>
          {spec.fresh.length > 1 && open ? (
            <select
              aria-label={`New ${spec.one}`}
              className={smallInput}
              value=""
              onChange={(event) => {
                const kind = spec.fresh.find((one) => one.label === event.target.value);
                if (kind) put(kind.make(freeKey(spec.freshName), book));
              }}
            >
              <option value="">New…</option>
              {spec.fresh.map((kind) => (
                <option key={kind.label}>{kind.label}</option>
              ))}
            </select>
          ) : (
            spec.fresh.map((kind) => (
              <Button key={kind.label} onClick={() => put(kind.make(freeKey(spec.freshName), book))}>
                <Plus size={14} aria-hidden="true" className="-ml-1 mr-1 inline" />
                {kind.label}
              </Button>
            ))
          )}
        </div>
        {open ? null : <p className="px-4 pb-2 text-ink-2">{spec.about}</p>}
        {all.length === 0 ? (
          <Empty title={`There is no ${spec.one} yet`}>{spec.about}</Empty>
        ) : (
          <SectionList
            spec={spec}
            groups={groups}
            words={words}
            sorted={sorted}
            onSort={setSorted}
            isNarrow={open !== undefined}
            openKey={openKey}
            chosen={chosen}
            onChoose={setChosen}
            onOpen={show}
            onCopy={copy}
            onRename={rename}
            onMove={spec.isOrdered && !words && !sorted ? move : undefined}
          />
        )}
        {chosen.size > 0 ? (
          <BulkBar
            spec={spec}
            entries={all.filter((one) => chosen.has(one.key))}
            usesOf={(key) => about.get(key)?.uses.length ?? 0}
            onDone={() => setChosen(new Set())}
          />
        ) : null}
        {open ? null : <div className="px-4">{spec.below}</div>}
      </div>
      {open ? (
        <EntryPane
          key={open.key}
          ref={pane}
          spec={spec}
          one={open}
          place={flat.findIndex((row) => row.key === open.key)}
          count={flat.length}
          about={about.get(open.key)}
          findings={review?.findings.filter((one) => one.section === spec.section && one.key === open.key) ?? []}
          onCopy={() => copy(open)}
          onRename={focusName}
          onRemove={() => remove(open)}
          onClose={() => {
            show(null);
            focusRow(open.key);
          }}
        />
      ) : null}
    </div>
  );
}

/** Takes back the last edit of the draft. */
export function useUndo() {
  const readAgain = useReadAgain();
  return useMutation({
    mutationFn: () => ok(api.POST("/api/rulebook/draft/undo")),
    onSuccess: (done) => {
      readAgain();
      toast(`Taken back: ${done.what}.`);
    },
    onError: (error) => toast.error(sentence(error)),
  });
}

function place(order: string[], name: string): number {
  const at = order.indexOf(name);
  return at < 0 ? order.length : at;
}

function isTyping(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName));
}
