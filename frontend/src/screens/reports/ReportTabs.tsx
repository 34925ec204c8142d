import { Popover } from "radix-ui";
import { useState } from "react";
import { Link } from "react-router";
import type { components } from "../../api/schema";
import { cardClass } from "../../parts/picks";
import { inputClass } from "../../parts/ui";

import { meanings } from "./meanings";
import type { Definition } from "./report";

type Reports = components["schemas"]["ReportsShape"];

interface TabsProps {
  list: Reports;
  chosen: string;
  isChanged: boolean;
  onOpen: (key: string) => void;
  onBlank: () => void;
  onMean: (definition: Definition) => void;
}

const FIRST = 5;

/** The reports that there are: one's own first, those that ship, and all of them in a list. */
export function ReportTabs({ list, chosen, isChanged, onOpen, onBlank, onMean }: TabsProps) {
  const [isOpen, setOpen] = useState(false);
  const [words, setWords] = useState("");
  const all = [
    ...list.kept.map((one) => ({
      key: String(one.id),
      name: one.name,
      note: one.is_mine ? "mine" : `from ${one.owner}`,
      about: one.about,
    })),
    ...list.shipped.map((one) => ({ key: one.key, name: one.name, note: "", about: one.about })),
  ];
  const first = all.slice(0, FIRST);
  const now = all.find((one) => one.key === chosen);
  const tabs = now && !first.includes(now) ? [...first.slice(0, FIRST - 1), now] : first;
  const found = all.filter((one) => `${one.name} ${one.about}`.toLowerCase().includes(words.toLowerCase()));
  const meant = words.trim().length < 3 ? [] : meanings(words, list.words);
  const tab = (isChosen: boolean) =>
    `min-h-[30px] rounded-small px-2.5 max-[900px]:min-h-[38px] ${isChosen ? "border border-line bg-sheet font-bold" : "text-ink-2 hover:bg-sea-3"}`;
  return (
    <nav aria-label="Reports" className="flex flex-wrap items-center gap-1">
      {tabs.map((one) => (
        <button
          key={one.key}
          type="button"
          className={tab(one.key === chosen)}
          aria-current={one.key === chosen ? "page" : undefined}
          title={one.about}
          onClick={() => onOpen(one.key)}
        >
          {one.name}
          {one.key === chosen && isChanged ? <span className="font-normal text-ink-2">, changed</span> : null}
        </button>
      ))}
      <Popover.Root open={isOpen} onOpenChange={setOpen}>
        <Popover.Trigger className={tab(false)}>All {all.length} ▾</Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            align="start"
            sideOffset={4}
            collisionPadding={12}
            className={`${cardClass} w-[420px] max-w-[92vw]`}
            aria-label="All reports"
          >
            <input
              autoFocus
              aria-label="Search the reports"
              placeholder="What do you want to know?"
              className={`${inputClass} mb-1.5`}
              value={words}
              onChange={(event) => setWords(event.target.value)}
            />
            <ul>
              {found.map((one) => (
                <li key={one.key}>
                  <button
                    type="button"
                    className="w-full rounded px-2 py-1 text-left hover:bg-sea-3"
                    onClick={() => {
                      setOpen(false);
                      onOpen(one.key);
                    }}
                  >
                    <b>{one.name}</b> <span className="text-[13px] text-ink-2">{one.note}</span>
                    <span className="block text-[13px] text-ink-2">{one.about}</span>
                  </button>
                </li>
              ))}
            </ul>
            {found.length === 0 && meant.length === 0 ? (
              <p className="text-ink-2">No report says that. Ask for example: “average time to resolve by service last month”.</p>
            ) : null}
            {meant.length > 0 ? (
              <>
                <p className="mt-1 border-t border-line pt-2 text-[13px] text-ink-2">It could mean</p>
                <ul>
                  {meant.map((one) => (
                    <li key={one.says}>
                      <button
                        type="button"
                        className="w-full rounded px-2 py-1 text-left hover:bg-sea-3"
                        onClick={() => {
                          setOpen(false);
                          onMean(one.definition);
                        }}
                      >
                        {one.says}
                      </button>
                    </li>
                  ))}
                </ul>
              </>
            ) : null}
            <p className="mt-1 flex gap-3 border-t border-line pt-2">
              <button
                type="button"
                className="underline"
                onClick={() => {
                  setOpen(false);
                  onBlank();
                }}
              >
                Begin with a blank one
              </button>
              <Link className="underline" to="/desk/dashboards">
                Dashboards
              </Link>
              <Link className="underline" to="/desk/reports/outlook">
                Looking ahead
              </Link>
              <Link className="underline" to="/desk/reports/targets">
                SLA by team and priority
              </Link>
            </p>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </nav>
  );
}
