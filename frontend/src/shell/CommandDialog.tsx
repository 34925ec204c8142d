import { useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, ok } from "../api/client";
import { useDebounced } from "../parts/hooks";
import { Number } from "../parts/marks";
import { useChoices } from "../parts/choices";
import { SHIPPED } from "../screens/queue/state";
import { useViews } from "../screens/queue/ViewsBar";
import { useAllEntries } from "../screens/rulebook/data";
import { foundIn } from "../screens/rulebook/FindEntry";
import { roomLink } from "../screens/rulebook/rooms";
import { usePageCommands } from "./commands";
import { useSections } from "./DeskFrame";
import { findNodes, nodeOf } from "../screens/services/findNodes";
import { pageOf } from "../screens/services/words";
import { useSession } from "./session";
import { nextTheme, setTheme } from "./theme";

interface CommandDialogProps {
  isOpen: boolean;
  setOpen: (isOpen: boolean) => void;
  words: string;
  setWords: (words: string) => void;
  onLog: (starter?: string) => void;
  onHelp: () => void;
}

/** Records by number or words, people, and every action of the frame. */
export function CommandDialog({ isOpen, setOpen, words, setWords, onLog, onHelp }: CommandDialogProps) {
  const late = useDebounced(words.trim(), 180);
  const [chosen, setChosen] = useState("");
  const list = useRef<HTMLDivElement>(null);
  const navigate = useNavigate();
  const sections = useSections();
  const { me } = useSession();
  const isAdministrator = me?.roles.includes("administrator") ?? false;
  const starters = useChoices()?.starters;
  const found = useQuery({
    queryKey: ["find", late],
    queryFn: () => ok(api.GET("/api/find", { params: { query: { q: late } } })),
    enabled: isOpen && late.length > 1,
  });
  const people = useQuery({
    queryKey: ["people", late],
    queryFn: () => ok(api.GET("/api/people", { params: { query: { q: late } } })),
    enabled: isOpen && late.length > 1,
  });
  const things = useQuery({
    queryKey: ["find", "services and items", late],
    queryFn: () => findNodes(late),
    enabled: isOpen && late.length > 1 && (me?.reads_desk ?? false),
  });
  const { data: templates } = useQuery({
    queryKey: ["change templates"],
    queryFn: () => ok(api.GET("/api/changes/open")),
    enabled: isOpen && (me?.is_on_desk ?? false),
    staleTime: 60_000,
  });
  const entries = foundIn(useAllEntries(isOpen && late.length > 1 && isAdministrator), late).slice(0, 6);
  const does = (act: () => void) => () => {
    setOpen(false);
    setWords("");
    act();
  };
  const folded = words.toLowerCase();
  const page = usePageCommands();
  const { views } = useViews();
  const actions = [
    ...page.map((command) => ({ label: command.label, act: command.act })),
    ...sections.map((section) => ({ label: `Go to ${section.label}`, act: () => navigate(section.to) })),
    ...(me?.reads_desk ? [{ label: "Go to Major incidents", act: () => navigate("/desk/rooms") }] : []),
    ...(me?.is_on_desk ? [{ label: "Log for somebody", act: () => onLog() }] : []),
    ...(me?.is_on_desk
      ? [
          { label: "New problem", act: () => navigate("/desk/problems?new") },
          { label: "New change", act: () => navigate("/desk/changes?new") },
          ...(templates ?? []).map((one) => ({ label: `New change: ${one.name}`, act: () => navigate(`/desk/changes?new=${one.key}`) })),
        ]
      : []),
    ...(starters ?? []).map((starter) => ({ label: `Log: ${starter.name}`, act: () => onLog(starter.key) })),
    ...[...SHIPPED.map((view) => ({ id: view.key, name: view.name })), ...views].map((view) => ({
      label: `Queue: ${view.name}`,
      act: () => navigate(`/desk/queue?view=${view.id}`),
    })),
    { label: "Notification settings", act: () => navigate("/desk/told") },
    { label: "Shifts and absences", act: () => navigate("/desk/working") },
    ...(me?.is_on_desk
      ? [
          { label: "Phrases, hints, routines", act: () => navigate("/desk/ready") },
          { label: "Quarantined mail", act: () => navigate("/desk/quarantine") },
        ]
      : []),
    { label: "Light or dark theme", act: () => setTheme(nextTheme()) },
    { label: "Keyboard shortcuts", act: onHelp },
  ]
    .filter((action) => folded.split(/\s+/).every((word) => action.label.toLowerCase().includes(word)))
    .slice(0, folded ? 12 : 14);
  // Whoever types the beginning of an action means it, whatever tickets have those words.
  const isCommand = folded.length > 2 && actions.some((action) => action.label.toLowerCase().startsWith(folded));
  // Answers come late and take the place of others: one of those shown is always chosen, so that Enter does it.
  useEffect(() => {
    if (!isOpen || list.current?.querySelector("[cmdk-item][data-selected=true]")) return;
    const first = list.current?.querySelector<HTMLElement>("[cmdk-item]");
    if (first?.dataset.value) setChosen(first.dataset.value);
  }, [isOpen, words, found.data, people.data, things.data, entries.length]);
  const doing =
    actions.length > 0 ? (
      <Command.Group heading="Do" className="text-[12px] text-ink-2">
        {actions.map((action) => (
          <Command.Item
            key={action.label}
            value={action.label}
            onSelect={does(action.act)}
            className="cursor-pointer rounded px-3 py-1.5 text-[14px] text-ink data-[selected=true]:bg-sea-3"
          >
            {action.label}
          </Command.Item>
        ))}
      </Command.Group>
    ) : null;

  return (
    <Command.Dialog
      open={isOpen}
      onOpenChange={setOpen}
      label="Find or do"
      shouldFilter={false}
      value={chosen}
      onValueChange={setChosen}
      overlayClassName="fixed inset-0 z-40 bg-bar/45"
      contentClassName="fixed left-1/2 top-[10vh] z-50 w-[min(94vw,600px)] -translate-x-1/2 rounded-card border border-line bg-sheet p-2 text-ink"
    >
      <Command.Input
        value={words}
        onValueChange={setWords}
        placeholder="A number, some words, a name, or what to do"
        className="w-full rounded-small border border-line-2 bg-sheet px-3 py-2 text-[15px]"
      />
      <Command.List ref={list} className="mt-2 max-h-[56vh] overflow-y-auto">
        <Command.Empty className="px-3 py-4 text-ink-2">{found.isFetching ? "Looking…" : "Nothing is called that."}</Command.Empty>
        {isCommand ? doing : null}
        {found.data && found.data.tickets.length > 0 ? (
          <Command.Group heading="Tickets" className="text-[12px] text-ink-2">
            {found.data.tickets.map((row) => (
              <Command.Item
                key={row.id}
                value={`t${row.id}`}
                onSelect={does(() => void navigate(`/desk/tickets/${row.id}`))}
                className="flex cursor-pointer items-center gap-3 rounded px-3 py-1.5 text-[14px] text-ink data-[selected=true]:bg-sea-3"
              >
                <Number row={row} />
                <span className="truncate">{row.title}</span>
                <span className="ml-auto shrink-0 text-[12px] text-ink-2">{row.state}</span>
              </Command.Item>
            ))}
          </Command.Group>
        ) : null}
        {found.data && found.data.articles.length > 0 ? (
          <Command.Group heading="Articles" className="text-[12px] text-ink-2">
            {found.data.articles.map((article) => (
              <Command.Item
                key={article.id}
                value={`a${article.id}`}
                onSelect={does(() => void navigate(`/desk/articles/${article.id}`))}
                className="flex cursor-pointer items-center gap-3 rounded px-3 py-1.5 text-[14px] text-ink data-[selected=true]:bg-sea-3"
              >
                <span className="font-mono text-[13px] text-ink-2">{article.id}</span>
                <span className="truncate">{article.title}</span>
              </Command.Item>
            ))}
          </Command.Group>
        ) : null}
        {entries.length > 0 ? (
          <Command.Group heading="Rulebook" className="text-[12px] text-ink-2">
            {entries.map((entry) => (
              <Command.Item
                key={`${entry.section}/${entry.key}`}
                value={`r${entry.section}/${entry.key}`}
                onSelect={does(() => void navigate(roomLink(entry.section, entry.key)))}
                className="flex cursor-pointer items-center gap-3 rounded px-3 py-1.5 text-[14px] text-ink data-[selected=true]:bg-sea-3"
              >
                <span className="truncate">{entry.name}</span>
                <span className="ml-auto shrink-0 text-[12px] text-ink-2">{entry.one}</span>
              </Command.Item>
            ))}
          </Command.Group>
        ) : null}
        {things.data && things.data.length > 0 ? (
          <Command.Group heading="Services and items" className="text-[12px] text-ink-2">
            {things.data.slice(0, 6).map((thing) => (
              <Command.Item
                key={thing.id}
                value={`i${thing.id}`}
                onSelect={does(() => void navigate(pageOf(nodeOf(thing.id))))}
                className="flex cursor-pointer items-center gap-3 rounded px-3 py-1.5 text-[14px] text-ink data-[selected=true]:bg-sea-3"
              >
                <span className="truncate">{thing.name}</span>
                <span className="ml-auto shrink-0 text-[12px] text-ink-2">{thing.note}</span>
              </Command.Item>
            ))}
          </Command.Group>
        ) : null}
        {people.data && people.data.length > 0 ? (
          <Command.Group heading="People" className="text-[12px] text-ink-2">
            {people.data.slice(0, 5).map((person) => (
              <Command.Item
                key={person.id}
                value={`p${person.id}`}
                onSelect={does(
                  () =>
                    void navigate(
                      `/desk/queue?filter=${encodeURIComponent(JSON.stringify({ all: [{ field: "requester", op: "is one of", value: [person.name] }] }))}`,
                    ),
                )}
                className="flex cursor-pointer items-center gap-3 rounded px-3 py-1.5 text-[14px] text-ink data-[selected=true]:bg-sea-3"
              >
                <span>{person.name}</span>
                <span className="ml-auto text-[12px] text-ink-2">
                  {person.job}, {person.place} · {person.open_tickets.length} open
                </span>
              </Command.Item>
            ))}
          </Command.Group>
        ) : null}
        {isCommand ? null : doing}
      </Command.List>
    </Command.Dialog>
  );
}
