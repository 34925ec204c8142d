import { useState } from "react";
import { toast } from "sonner";
import { Button } from "../../parts/ui";
import { type Entry, useBook, useEdit, useEntry } from "./data";
import { entriesOf } from "./edits";
import { keyFrom } from "./edits";
import { EditState, options, OrderButtons, PickMany, PickOne, smallInput, TextInput } from "./parts";

export type Plain = Entry & Record<string, unknown>;

interface Column {
  name: string;
  label: string;
  /** How it is edited: text, one of some choices, or several. */
  choices?: string[];
  isMany?: boolean;
  placeholder?: string;
  width?: string;
}

interface TableProps {
  section: string;
  about: string;
  columns: Column[];
  fresh: (key: string) => Plain;
  named: string;
}

/** A section whose entries are a row each. */
export function TableEditor({ section, about, columns, fresh, named }: TableProps) {
  const { document } = useBook();
  const edit = useEdit();
  const entries = entriesOf<Plain>(document, section);
  const [name, setName] = useState("");
  const isNamed = columns.some((column) => column.name === "key");
  const add = () => {
    const taken = entries.map((one) => one.key);
    if (isNamed && (name.trim() === "" || taken.includes(name.trim()))) return toast.error("Give it a name that is not taken.");
    const key = isNamed ? name.trim() : keyFrom(`new ${named}`, taken);
    edit.mutate({ section, key, before: null, after: fresh(key) });
    setName("");
    return undefined;
  };
  return (
    <>
      <p className="text-ink-2">{about}</p>
      <table className="mt-2 w-full">
        <thead>
          <tr className="border-b border-line text-left text-ink-2">
            {columns.map((column) => (
              <th key={column.name} scope="col" className="py-1 pr-3 font-normal">
                {column.label}
              </th>
            ))}
            <th />
          </tr>
        </thead>
        <tbody>
          {entries.map((one, index) => (
            <TableRow key={one.key} section={section} stored={one} columns={columns} index={index} count={entries.length} />
          ))}
        </tbody>
      </table>
      <p className="mt-3 flex gap-2">
        {isNamed ? (
          <input
            aria-label={`Name of the new ${named}`}
            placeholder="Hardware › Printer"
            className={`${smallInput} w-56`}
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
        ) : null}
        <Button onClick={add}>Add a {named}</Button>
      </p>
    </>
  );
}

function TableRow({
  section,
  stored,
  columns,
  index,
  count,
}: {
  section: string;
  stored: Plain;
  columns: Column[];
  index: number;
  count: number;
}) {
  const editing = useEntry<Plain>(section, stored.key, stored);
  const edit = useEdit();
  const one = editing.value;
  const set = (name: string, value: unknown) => editing.set({ ...one, [name]: value });
  return (
    <>
      <tr className="border-b border-line">
        {columns.map((column) => {
          const value = one[column.name];
          const label = `${column.label} of ${stored.key}`;
          return (
            <td key={column.name} className="py-1.5 pr-3">
              {column.name === "key" ? (
                <b>{stored.key}</b>
              ) : column.isMany ? (
                <PickMany
                  label={label}
                  placeholder={column.placeholder ?? "nothing"}
                  options={options(column.choices ?? [])}
                  value={(value as string[] | undefined) ?? []}
                  onChange={(next) => set(column.name, next)}
                />
              ) : column.choices ? (
                <PickOne
                  label={label}
                  placeholder={column.placeholder ?? "nothing"}
                  options={options(column.choices)}
                  value={(value as string | undefined) ?? ""}
                  onChange={(next) => set(column.name, next)}
                />
              ) : (
                <TextInput
                  label={label}
                  className={`${smallInput} ${column.width ?? "w-full"}`}
                  value={Array.isArray(value) ? value.join(", ") : String((value as string | undefined) ?? "")}
                  onChange={(text) =>
                    set(
                      column.name,
                      Array.isArray(value)
                        ? text
                            .split(",")
                            .map((part) => part.trim())
                            .filter(Boolean)
                        : text,
                    )
                  }
                />
              )}
            </td>
          );
        })}
        <td className="w-24 whitespace-nowrap text-right">
          <OrderButtons
            index={index}
            count={count}
            name={stored.key}
            onMove={(to) => edit.mutate({ section, key: stored.key, before: stored, after: stored, position: to })}
          />
          <button
            type="button"
            aria-label={`Remove ${stored.key}`}
            className="px-1 min-h-[24px] min-w-[24px] text-ink-2 hover:text-rust"
            onClick={() => edit.mutate({ section, key: stored.key, before: stored, after: null })}
          >
            ×
          </button>
        </td>
      </tr>
      {editing.theirs !== null || editing.problem ? (
        <tr>
          <td colSpan={columns.length + 1}>
            <EditState editing={editing} />
          </td>
        </tr>
      ) : null}
    </>
  );
}
