import { Bold, Heading2, Image, Link2, List, ListChecks, ListOrdered, Table, TriangleAlert } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { type ReactNode, useRef, useState } from "react";
import { Finder, type Found } from "../../parts/Finder";
import { api, ok } from "../../api/client";
import { Dialog } from "../../parts/ui";
import * as edits from "./markdownEdits";

type Does = (edit: (chosen: edits.Chosen) => edits.Edit) => void;

const toolClass =
  "inline-flex h-[30px] min-w-[30px] items-center justify-center gap-1 rounded-small border border-transparent px-1.5 text-ink-2 hover:bg-sea-3 hover:text-ink";

function Tool({ name, onClick, children }: { name: string; onClick: () => void; children: ReactNode }) {
  return (
    <button type="button" className={toolClass} aria-label={name} title={name} onClick={onClick}>
      {children}
    </button>
  );
}

/** What can be put into a text by a press: each works on what is chosen in it. */
export function TextTools({ does, onFiles }: { does: Does; onFiles: (files: File[]) => void }) {
  const [isLinking, setLinking] = useState(false);
  const files = useRef<HTMLInputElement>(null);
  const size = 17;
  return (
    <div role="toolbar" aria-label="Into the text" className="flex flex-wrap items-center gap-0.5 border-b border-line pb-1">
      <Tool name="Heading" onClick={() => does(edits.heading)}>
        <Heading2 size={size} aria-hidden />
      </Tool>
      <Tool name="Bold (Ctrl B)" onClick={() => does((one) => edits.around(one, "**", "words"))}>
        <Bold size={size} aria-hidden />
      </Tool>
      <Tool name="List" onClick={() => does(edits.bullets)}>
        <List size={size} aria-hidden />
      </Tool>
      <Tool name="Steps" onClick={() => does(edits.steps)}>
        <ListOrdered size={size} aria-hidden />
      </Tool>
      <Tool name="Steps to tick" onClick={() => does(edits.checkedSteps)}>
        <ListChecks size={size} aria-hidden />
      </Tool>
      <Tool name="Table" onClick={() => does(edits.table)}>
        <Table size={size} aria-hidden />
      </Tool>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className={toolClass} aria-label="Remark" title="Remark">
          <TriangleAlert size={size} aria-hidden />
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            className="z-50 min-w-[140px] rounded-small border border-line bg-sheet p-1"
            sideOffset={4}
            onCloseAutoFocus={(event) => event.preventDefault()}
          >
            {edits.REMARKS.map((sort) => (
              <DropdownMenu.Item
                key={sort}
                className="cursor-pointer rounded px-2 py-1 outline-none data-[highlighted]:bg-sea-3"
                // After the menu has given the focus back.
                onSelect={() => setTimeout(() => does((one) => edits.remark(one, sort)), 0)}
              >
                {sort}
              </DropdownMenu.Item>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <Tool name="Link" onClick={() => setLinking(true)}>
        <Link2 size={size} aria-hidden />
      </Tool>
      <Tool name="Picture" onClick={() => files.current?.click()}>
        <Image size={size} aria-hidden />
      </Tool>
      <input
        ref={files}
        type="file"
        accept="image/png,image/jpeg,image/gif,image/webp"
        multiple
        hidden
        aria-label="Pictures"
        onChange={(event) => {
          onFiles([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
      <Dialog title="Link to" isOpen={isLinking} onClose={() => setLinking(false)}>
        <LinkTo
          onPick={(address, title) => {
            setLinking(false);
            // After the dialog has given the focus back.
            setTimeout(() => does((one) => edits.link(one, address, title)), 0);
          }}
        />
      </Dialog>
    </div>
  );
}

/** Articles, tickets, services and items by words; an address of the web as it is. */
async function findTargets(words: string): Promise<Found[]> {
  if (/^https?:\/\/\S+\.\S+$/.test(words)) return [{ id: 0, name: words, note: "address" }];
  const [found, items, services] = await Promise.all([
    ok(api.GET("/api/find", { params: { query: { q: words } } })),
    ok(api.GET("/api/estate/items", { params: { query: { words } } })),
    ok(api.GET("/api/services")),
  ]);
  const named = services.filter((one) => one.name.toLowerCase().includes(words.toLowerCase()));
  return [
    ...found.articles.slice(0, 5).map((one) => ({ id: one.id, name: one.title, note: `article ${one.id}` })),
    ...found.tickets.slice(0, 4).map((one) => ({ id: one.id, name: one.title, note: `ticket ${one.id}` })),
    ...named.slice(0, 2).map((one) => ({ id: -one.id, name: one.name, note: "service" })),
    ...items.rows.slice(0, 4).map((one) => ({ id: one.id, name: one.name, note: one.kind })),
  ];
}

function addressOf(found: Found): string {
  if (found.note === "address") return found.name;
  if (found.note === `article ${found.id}`) return `/articles/${found.id}`;
  if (found.note === `ticket ${found.id}`) return `/desk/tickets/${found.id}`;
  return found.id < 0 ? `/desk/services/${-found.id}` : `/desk/items/${found.id}`;
}

function LinkTo({ onPick }: { onPick: (address: string, title: string) => void }) {
  const [name, setName] = useState("");
  return (
    <div className="min-h-[220px]">
      <Finder
        props={{ "aria-label": "What to link to" }}
        what="links"
        takesFocus
        hint="An article, ticket, service or item, or https://…"
        find={findTargets}
        nothing="Nothing is called that."
        name={name}
        onName={setName}
        onPick={(found) => onPick(addressOf(found), found.name)}
      />
      <p className="mt-2 text-[13px] text-ink-2">Tickets, services and items open for the desk alone; articles for their readers.</p>
    </div>
  );
}
