import { initialsOf } from "../../../parts/Initials";
import { ChevronDown, ChevronRight } from "lucide-react";
import { type KeyboardEvent, useState } from "react";
import { when } from "../../../parts/time";
import { useNow } from "../../../parts/hooks";
import type { Entry, EntryAbout } from "../data";
import type { EntryGroup } from "../entries";
import { OrderButtons } from "../parts";
import type { Sorted } from "./SectionPage";
import type { SectionSpec } from "./spec";

export interface Row<T> {
  one: T;
  key: string;
  name: string;
  /** Where it stands among all of its section. */
  index: number;
  cells: string[];
  uses: EntryAbout["uses"];
  changed: EntryAbout["changed"];
  marker: string;
  isOff: boolean;
}

interface ListProps<T extends Entry> {
  spec: SectionSpec<T>;
  groups: EntryGroup<Row<T>>[];
  words: string;
  sorted: Sorted | null;
  onSort: (sorted: Sorted | null) => void;
  /** Only names, because an entry is open beside it. */
  isNarrow: boolean;
  openKey: string | null;
  chosen: ReadonlySet<string>;
  onChoose: (chosen: ReadonlySet<string>) => void;
  onOpen: (key: string | null, how?: { isMove?: boolean }) => void;
  onCopy: (one: T) => void;
  onRename: (key: string) => void;
  /** Puts an entry to another place among all of its section. */
  onMove?: ((row: Row<T>, to: number) => void) | undefined;
}

const KEYS: [string, string][] = [
  ["↑ ↓", "move"],
  ["Enter", "open"],
  ["X", "choose"],
  ["C", "copy"],
  ["F2", "rename"],
  ["/", "search"],
];

/** The rows of a section: grouped, sorted, walked with the keys. */
export function SectionList<T extends Entry>(props: ListProps<T>) {
  const { spec, groups, isNarrow, openKey, chosen, onChoose, onOpen } = props;
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set());
  const [dragged, setDragged] = useState<Row<T> | null>(null);
  const now = useNow();
  // While one searches, nothing found is hidden in a folded group.
  const isFolded = (name: string) => !props.words && folded.has(name);
  const flat = groups.flatMap((group) => (isFolded(group.name) ? [] : group.entries));
  const tabbed = flat.some((row) => row.key === openKey) ? openKey : flat[0]?.key;
  /** Moves an entry by so many places within its group. */
  const moveBy = (row: Row<T>, step: number) => {
    const group = groups.find((one) => one.entries.includes(row))?.entries ?? [];
    const next = group[group.indexOf(row) + step];
    if (next) props.onMove?.(row, next.index);
  };
  const toggle = (key: string) => {
    const next = new Set(chosen);
    if (!next.delete(key)) next.add(key);
    onChoose(next);
  };
  const onKey = (event: KeyboardEvent<HTMLElement>) => {
    const at = flat.findIndex((row) => row.key === (event.target as HTMLElement).dataset.row);
    const row = flat[at];
    if (!row || event.ctrlKey || event.metaKey) return;
    const go = (to: number) => {
      const next = flat[Math.min(flat.length - 1, Math.max(0, to))];
      if (!next) return;
      event.currentTarget.querySelector<HTMLElement>(`[data-row="${CSS.escape(next.key)}"]`)?.focus();
      if (openKey) onOpen(next.key, { isMove: true });
    };
    if (event.key === "ArrowDown" && event.altKey) moveBy(row, 1);
    else if (event.key === "ArrowUp" && event.altKey) moveBy(row, -1);
    else if (event.key === "ArrowDown") go(at + 1);
    else if (event.key === "ArrowUp") go(at - 1);
    else if (event.key === "Home") go(0);
    else if (event.key === "End") go(flat.length - 1);
    else if (event.key === "x" || event.key === "X") toggle(row.key);
    else if (event.key === "c" || event.key === "C") props.onCopy(row.one);
    else if (event.key === "F2") props.onRename(row.key);
    else if (event.key === "Escape" && openKey) onOpen(null);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  // Nothing names a rule or a webhook's like: a column of “nothing” says nothing.
  const hasUses = groups.some((group) => group.entries.some((row) => row.uses.length > 0));
  const heads = [
    ...spec.columns.map(({ label, isRight }) => ({ label, isRight })),
    ...(hasUses ? [{ label: "used by", isRight: true }] : []),
    { label: "last change", isRight: true },
  ];
  const width = isNarrow ? 2 : heads.length + 2;
  return (
    <div className={isNarrow ? "min-h-0 flex-1 overflow-y-auto" : "flex-1"}>
      <table className="w-full border-collapse" onKeyDown={onKey}>
        <thead className={isNarrow ? "sr-only" : ""}>
          <tr className="border-b border-t border-line text-left text-[13px] text-ink-2">
            <th scope="col" className="w-9 py-1 pl-3 align-middle leading-none">
              <input
                type="checkbox"
                className="m-[4px] h-[16px] w-[16px]"
                aria-label={`Choose all ${flat.length}`}
                checked={flat.length > 0 && flat.every((row) => chosen.has(row.key))}
                onChange={(event) => onChoose(new Set(event.target.checked ? flat.map((row) => row.key) : []))}
              />
            </th>
            <Head label="name" sorted={props.sorted} onSort={props.onSort} isOrdered={spec.isOrdered ?? false} />
            {heads.map((head) => (
              <Head key={head.label} {...head} sorted={props.sorted} onSort={props.onSort} isOrdered={spec.isOrdered ?? false} />
            ))}
          </tr>
        </thead>
        {groups.map((group) => (
          <tbody key={group.name}>
            {spec.groupOf ? (
              <tr className="border-b border-line bg-paper">
                <th scope="rowgroup" colSpan={width} className="px-3 py-0.5 text-left">
                  <button
                    type="button"
                    className="flex items-center gap-1.5"
                    aria-expanded={!isFolded(group.name)}
                    onClick={() => {
                      const next = new Set(folded);
                      if (!next.delete(group.name)) next.add(group.name);
                      setFolded(next);
                    }}
                  >
                    {isFolded(group.name) ? <ChevronRight size={15} aria-hidden="true" /> : <ChevronDown size={15} aria-hidden="true" />}
                    {group.name || "Without a group"} <span className="font-normal text-ink-2">{group.entries.length}</span>
                  </button>
                </th>
              </tr>
            ) : null}
            {isFolded(group.name)
              ? null
              : group.entries.map((row, place) => {
                  const isOpen = row.key === openKey;
                  const isChosen = chosen.has(row.key);
                  return (
                    <tr
                      key={row.key}
                      className={`border-b border-line ${isOpen ? "bg-sea-3 outline outline-2 -outline-offset-2 outline-sea" : isChosen ? "bg-crown-2/50" : "hover:bg-note"}`}
                      draggable={props.onMove !== undefined && !isNarrow}
                      onDragStart={() => setDragged(row)}
                      onDragEnd={() => setDragged(null)}
                      onDragOver={(event) => (dragged && group.entries.includes(dragged) ? event.preventDefault() : undefined)}
                      onDrop={() => {
                        if (dragged && dragged.key !== row.key) props.onMove?.(dragged, row.index);
                        setDragged(null);
                      }}
                      onClick={(event) =>
                        event.target instanceof HTMLInputElement ? undefined : onOpen(row.key, { isMove: openKey !== null })
                      }
                    >
                      <td className="w-9 py-1 pl-3 align-middle leading-none">
                        <input
                          type="checkbox"
                          className="m-[4px] h-[16px] w-[16px]"
                          tabIndex={row.key === tabbed ? 0 : -1}
                          aria-label={`Choose ${row.name}`}
                          checked={isChosen}
                          onChange={() => toggle(row.key)}
                        />
                      </td>
                      <td className="py-1 pr-3">
                        <span className="flex items-center gap-2">
                          {spec.isOrdered && props.onMove ? (
                            <span className="w-5 text-right text-[13px] text-ink-2">{place + 1}</span>
                          ) : null}
                          <button
                            type="button"
                            data-row={row.key}
                            tabIndex={row.key === tabbed ? 0 : -1}
                            aria-current={isOpen || undefined}
                            className={`min-h-[24px] text-left ${isNarrow ? "" : "min-w-[150px]"} ${row.isOff ? "text-ink-2" : "font-semibold"}`}
                          >
                            {row.name}
                          </button>
                          {row.isOff ? <span className="rounded border border-line-2 px-1 text-[12px] text-ink-2">off</span> : null}
                          {row.marker ? (
                            <span
                              className={`whitespace-nowrap rounded px-1.5 text-[12px] font-semibold ${row.marker === "to fix" ? "bg-rust-2 text-rust" : "bg-crown-2"}`}
                            >
                              {row.marker}
                            </span>
                          ) : null}
                          {props.onMove && !isNarrow ? (
                            <span className="ml-auto" onClick={(event) => event.stopPropagation()}>
                              <OrderButtons
                                index={place}
                                count={group.entries.length}
                                name={row.name}
                                onMove={(to) => moveBy(row, to - place)}
                              />
                            </span>
                          ) : null}
                        </span>
                      </td>
                      {isNarrow
                        ? null
                        : row.cells.map((cell, at) => (
                            <td
                              key={heads[at]?.label}
                              className={`max-w-[200px] truncate py-1 pr-3 text-ink-2 ${heads[at]?.isRight ? "text-right" : ""}`}
                              title={cell.length > 30 ? cell : undefined}
                            >
                              {cell}
                            </td>
                          ))}
                      {isNarrow ? null : (
                        <>
                          {hasUses ? (
                            <td className="whitespace-nowrap py-1 pr-3 text-right text-ink-2">{row.uses.length || "nothing"}</td>
                          ) : null}
                          <td className="whitespace-nowrap py-1 pr-4 text-right text-ink-2">
                            {row.changed ? (
                              <span title={`by ${row.changed.by}`}>
                                {when(row.changed.at_s, now)}, {initialsOf(row.changed.by)}
                              </span>
                            ) : (
                              "–"
                            )}
                          </td>
                        </>
                      )}
                    </tr>
                  );
                })}
          </tbody>
        ))}
      </table>
      {flat.length === 0 && props.words ? <p className="px-4 py-3 text-ink-2">No {spec.one} has these words.</p> : null}
      {isNarrow ? null : (
        <p className="flex flex-wrap gap-x-4 gap-y-1 px-4 py-2 text-[13px] text-ink-2">
          {[...KEYS, ...(props.onMove ? [["Alt ↑ ↓", "change the order"] as [string, string]] : [])].map(([key, does]) => (
            <span key={key}>
              <kbd>{key}</kbd> {does}
            </span>
          ))}
        </p>
      )}
    </div>
  );
}

function Head({
  label,
  isRight,
  sorted,
  onSort,
  isOrdered,
}: {
  label: string;
  isRight?: boolean | undefined;
  sorted: Sorted | null;
  onSort: (sorted: Sorted | null) => void;
  isOrdered: boolean;
}) {
  const isOn = sorted?.by === label;
  const next = !isOn
    ? { by: label, isDown: false }
    : !sorted.isDown
      ? { by: label, isDown: true }
      : isOrdered
        ? null
        : { by: label, isDown: false };
  return (
    <th
      scope="col"
      aria-sort={isOn ? (sorted.isDown ? "descending" : "ascending") : undefined}
      className={`py-1 font-normal ${isRight ? "pr-3 text-right last:pr-4" : "pr-3"}`}
    >
      <button type="button" className={`min-h-[24px] hover:text-ink ${isOn ? "font-bold text-ink" : ""}`} onClick={() => onSort(next)}>
        {label}
        {isOn ? <span aria-hidden="true"> {sorted.isDown ? "↓" : "↑"}</span> : null}
      </button>
    </th>
  );
}
