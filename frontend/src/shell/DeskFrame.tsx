import { DropdownMenu } from "radix-ui";
import { Menu } from "lucide-react";
import { lazy, Suspense, useEffect, useRef, useState } from "react";
import { NavLink, Outlet, useNavigate, useSearchParams } from "react-router";
import { useChoices } from "../parts/choices";
import { isCovered, isTyping, useKeys } from "../parts/hooks";
import { Button } from "../parts/ui";
import { Running } from "../screens/rooms/Running";
import { CommandBar } from "./CommandBar";
import { KeysHelp } from "./KeysHelp";
import { Notifications } from "./Notifications";
import { useSession } from "./session";
import { nextTheme, setTheme } from "./theme";

const LogDialog = lazy(() => import("./LogDialog").then((module) => ({ default: module.LogDialog })));

export interface Section {
  to: string;
  label: string;
}

/** The sections that somebody may use, in the order of a ticket's life. */
export function useSections(): Section[] {
  const { me, session } = useSession();
  const sections: Section[] = [];
  if (me?.is_on_desk) sections.push({ to: "/desk/lookout", label: "Lookout" });
  if (me?.reads_desk) sections.push({ to: "/desk/queue", label: "Queue" });
  if (me?.reads_desk) sections.push({ to: "/desk/requests", label: "Requests" });
  if (me?.reads_desk) sections.push({ to: "/desk/problems", label: "Problems" });
  if (me?.reads_desk) sections.push({ to: "/desk/changes", label: "Changes" });
  if (me?.reads_desk) sections.push({ to: "/desk/services", label: "Services" });
  if (me?.reads_desk) sections.push({ to: "/desk/articles", label: "Knowledge" });
  if (me?.reads_desk) sections.push({ to: "/desk/reports", label: "Reports" });
  if (me?.roles.includes("administrator")) sections.push({ to: "/desk/rulebook", label: "Rulebook" });
  if (session.is_demo) sections.push({ to: "/desk/mailroom", label: "Mail room" });
  return sections;
}

export function DeskFrame() {
  const sections = useSections();
  const { me } = useSession();
  const [params, setParams] = useSearchParams();
  const [isHelpOpen, setHelpOpen] = useState(false);
  const isLogging = params.get("log") !== null;

  const setLogging = (isOn: boolean, starter = "") => {
    const next = new URLSearchParams(params);
    if (isOn) next.set("log", starter);
    else next.delete("log");
    setParams(next, { replace: !isOn });
  };
  const navigate = useNavigate();
  const wentAt = useRef(Number.NEGATIVE_INFINITY);
  const go = (to: string) => (event: KeyboardEvent) => {
    // Only behind a G; alone the key is the page's.
    if (event.timeStamp - wentAt.current > 1200) return;
    wentAt.current = Number.NEGATIVE_INFINITY;
    event.stopImmediatePropagation();
    void navigate(to);
  };
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event.target) || isCovered()) return;
      const to = { q: "/desk/queue", l: "/desk/lookout", k: "/desk/articles" }[event.key.toLowerCase()];
      if (event.key === "g") wentAt.current = event.timeStamp;
      else if (to) go(to)(event);
    };
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, []);
  useKeys({ "?": () => setHelpOpen(true), l: () => (me?.is_on_desk ? setLogging(true) : undefined) });

  return (
    <div className="min-h-screen">
      <a href="#content" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-sheet focus:p-2">
        Skip to the page
      </a>
      <header className="sticky top-0 z-30 flex h-12 items-center gap-3 bg-bar px-4 text-white">
        <NavLink to="/" className="flex items-center gap-2 font-bold" aria-label="Gannet, start page">
          <GannetMark />
          <span className="text-[15px] max-[520px]:hidden">Gannet</span>
        </NavLink>
        <nav aria-label="Sections" className="ml-1 flex gap-1 max-[900px]:hidden">
          {sections.map((section) => (
            <NavLink
              key={section.to}
              to={section.to}
              className={({ isActive }) =>
                `rounded-small border-b-2 px-2.5 py-[5px] font-medium ${isActive ? "border-crown bg-bar-2" : "border-transparent text-white/85 hover:bg-bar-2"}`
              }
            >
              {section.label}
            </NavLink>
          ))}
        </nav>
        <SectionsMenu sections={sections} />
        <div className="flex-1" />
        {me?.reads_desk ? <CommandBar onLog={(starter) => setLogging(true, starter ?? "")} onHelp={() => setHelpOpen(true)} /> : null}
        {me?.is_on_desk ? <LogMenu onLog={setLogging} /> : null}
        <Notifications />
        <MeMenu onHelp={() => setHelpOpen(true)} />
      </header>
      {me?.reads_desk ? <Running /> : null}
      <main id="content">
        <Outlet />
      </main>
      {isLogging ? (
        <Suspense fallback={null}>
          <LogDialog starter={params.get("log") ?? ""} onClose={() => setLogging(false)} />
        </Suspense>
      ) : null}
      <KeysHelp isOpen={isHelpOpen} onClose={() => setHelpOpen(false)} />
    </div>
  );
}

/** Log, and beside it the starters: prefilled new tickets, one click away. */
function LogMenu({ onLog }: { onLog: (isOn: boolean, starter?: string) => void }) {
  const starters = useChoices()?.starters ?? [];
  const navigate = useNavigate();
  return (
    <span className="inline-flex">
      <Button tone="crown" className="rounded-r-none" onClick={() => onLog(true)}>
        Log
      </Button>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button tone="crown" className="rounded-l-none border-l-[#17222b]/30 px-1.5" aria-label="Starters and other kinds">
            ▾
          </Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" sideOffset={6} className={menuClass}>
            <DropdownMenu.Item className={itemClass} onSelect={() => navigate("/desk/problems?new")}>
              Problem…
            </DropdownMenu.Item>
            <DropdownMenu.Item className={itemClass} onSelect={() => navigate("/desk/changes?new")}>
              Change…
            </DropdownMenu.Item>
            {starters.length > 0 ? <DropdownMenu.Separator className="my-1 h-px bg-line" /> : null}
            {starters.map((starter) => (
              <DropdownMenu.Item
                key={`${starter.key}${String(starter.is_mine)}`}
                className={itemClass}
                onSelect={() => onLog(true, starter.key)}
              >
                {starter.name}
                {starter.is_mine ? <span className="text-ink-2"> mine</span> : null}
              </DropdownMenu.Item>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </span>
  );
}

function GannetMark() {
  return (
    <svg width="26" height="26" viewBox="0 0 32 32" aria-hidden="true">
      <path fill="#fff" d="M2 9c6 1 10 5 14 11C20 14 24 10 30 9c-4 4-7 8-9 14l-5 3-5-3C9 17 6 13 2 9z" />
      <path fill="#D9992B" d="M14 17l2 3 2-3v4l-2 2-2-2z" />
    </svg>
  );
}

const itemClass = "cursor-pointer rounded px-3 py-2 outline-none data-[highlighted]:bg-sea-3";
const menuClass = "z-40 min-w-[190px] rounded-card border border-line-2 bg-sheet p-1 text-ink";

function SectionsMenu({ sections }: { sections: Section[] }) {
  const navigate = useNavigate();
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="hidden items-center rounded-small px-2 py-2 hover:bg-bar-2 max-[900px]:flex" aria-label="Sections">
        <Menu size={20} aria-hidden="true" />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="start" sideOffset={6} className={menuClass}>
          {sections.map((section) => (
            <DropdownMenu.Item key={section.to} className={itemClass} onSelect={() => navigate(section.to)}>
              {section.label}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

function MeMenu({ onHelp }: { onHelp: () => void }) {
  const { me, signOut } = useSession();
  const navigate = useNavigate();
  if (!me) return null;
  const initials = me.name
    .split(" ")
    .map((part) => part[0])
    .slice(0, 2)
    .join("");
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className="grid h-8 w-8 shrink-0 place-items-center rounded-full bg-[#1e5b70] text-[12px] font-bold text-white"
        aria-label={`${initials}, ${me.name}: menu`}
      >
        {initials}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" sideOffset={6} className={menuClass}>
          <div className="px-3 py-2">
            <div className="font-bold">{me.name}</div>
            <div className="text-[13px] text-ink-2">{me.teams.join(", ") || me.roles.join(", ") || me.department}</div>
          </div>
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Item className={itemClass} onSelect={() => navigate("/")}>
            Ask for help myself
          </DropdownMenu.Item>
          {me.reads_desk ? (
            <>
              <DropdownMenu.Item className={itemClass} onSelect={() => navigate("/desk/working")}>
                Shifts and absences
              </DropdownMenu.Item>
              {me.is_on_desk ? (
                <>
                  <DropdownMenu.Item className={itemClass} onSelect={() => navigate("/desk/ready")}>
                    Phrases, hints, routines
                  </DropdownMenu.Item>
                  <DropdownMenu.Item className={itemClass} onSelect={() => navigate("/desk/quarantine")}>
                    Quarantined mail
                  </DropdownMenu.Item>
                </>
              ) : null}
              <DropdownMenu.Item className={itemClass} onSelect={() => navigate("/desk/told")}>
                Notification settings
              </DropdownMenu.Item>
            </>
          ) : null}
          {me.reads_desk ? (
            <DropdownMenu.Item className={itemClass} onSelect={() => navigate("/desk/tokens")}>
              Access tokens
            </DropdownMenu.Item>
          ) : null}
          {me.roles.includes("team lead") || me.roles.includes("administrator") ? (
            <DropdownMenu.Item className={itemClass} onSelect={() => navigate("/desk/import")}>
              Import
            </DropdownMenu.Item>
          ) : null}
          <DropdownMenu.Item className={itemClass} onSelect={() => setTheme(nextTheme())}>
            {nextTheme() === "dark" ? "Dark theme" : "Light theme"}
          </DropdownMenu.Item>
          <DropdownMenu.Item className={itemClass} onSelect={onHelp}>
            Keys
          </DropdownMenu.Item>
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Item className={itemClass} onSelect={() => void signOut().then(() => navigate("/"))}>
            Sign out
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
