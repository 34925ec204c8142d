import { useEffect, useRef } from "react";
import { useLocation } from "react-router";
import { onRefusal } from "../api/client";
import { useSession } from "./session";

const TITLES: [RegExp, string][] = [
  [/^\/desk\/lookout/, "Lookout"],
  [/^\/desk\/queue/, "Queue"],
  [/^\/desk\/print/, "Queue, to print"],
  [/^\/desk\/tickets\/(\d+)/, "Ticket $1"],
  [/^\/desk\/problems/, "Problems"],
  [/^\/desk\/rooms/, "Major incidents"],
  [/^\/room/, "Major incident"],
  [/^\/desk\/changes/, "Changes"],
  [/^\/desk\/services\/map/, "If this stops"],
  [/^\/desk\/services\/drift/, "Drift"],
  [/^\/desk\/services\/patterns/, "Patterns"],
  [/^\/desk\/services\/items/, "All items"],
  [/^\/desk\/services/, "Services"],
  [/^\/desk\/items\/(\d+)/, "Item $1"],
  [/^\/desk\/reports\/behind/, "Behind the number"],
  [/^\/desk\/reports\/outlook/, "Looking ahead"],
  [/^\/desk\/reports/, "Reports"],
  [/^\/desk\/dashboards/, "Dashboards"],
  [/^\/desk\/mailroom/, "Mail room"],
  [/^\/desk\/rulebook\/?([a-z_]*)/, "Rulebook $1"],
  [/^\/desk\/articles\/(\d+)/, "Article $1"],
  [/^\/desk\/articles/, "Knowledge"],
  [/^\/desk\/requests/, "Requests"],
  [/^\/desk\/ready/, "Phrases, hints, routines"],
  [/^\/desk\/tokens/, "Access tokens"],
  [/^\/desk\/import/, "Import"],
  [/^\/desk\/working/, "Shifts and absences"],
  [/^\/desk\/told/, "Notification settings"],
  [/^\/desk\/quarantine/, "Quarantined mail"],
  [/^\/report/, "Report a problem"],
  [/^\/my\/(\d+)/, "Ticket $1"],
  [/^\/ask\//, "Request"],
  [/^\/basket/, "Basket"],
  [/^\/approvals/, "Approvals"],
  [/^\/articles\/(\d+)/, "Article $1"],
];

/** What the browser's tab says of an address, before the page knows more. */
function titleOf(path: string): string {
  for (const [pattern, title] of TITLES) {
    const found = pattern.exec(path);
    if (found) return title.replace("$1", (found[1] ?? "").replaceAll("_", " ")).trim();
  }
  return "";
}

/** Says in the tab what a page shows, once it is known. */
export function useTitle(title: string | undefined): void {
  useEffect(() => {
    if (title) document.title = `${title} · Gannet`;
  }, [title]);
}

const FOCUSABLE = "input:not([type=hidden]):not([disabled]),select:not([disabled]),textarea:not([disabled]),button:not([disabled])";
/** A page that is slow to come gets no focus any more: whoever waits has gone on. */
const PATIENCE_MS = 4000;

/**
 * Where the focus goes when a page changes or a form is refused: to the new page's heading, to
 * the first field that is wrong. It also says in the tab where one is.
 */
export function PageFocus() {
  const { pathname } = useLocation();
  const { session } = useSession();
  const isFirst = useRef(true);
  useEffect(() => {
    const title = titleOf(pathname);
    document.title = title ? `${title} · Gannet` : pathname === "/" ? `Help at ${session.organisation_short}` : "Gannet";
    if (isFirst.current) {
      isFirst.current = false;
      return undefined;
    }
    return focusHeading();
  }, [pathname, session.organisation_short]);
  useEffect(focusWhatIsRefused, []);
  return null;
}

/** Moves the focus to the page's heading once it is there, unless the page has put it somewhere itself. */
function focusHeading(): () => void {
  const began = Date.now();
  const timer = setInterval(() => {
    const main = document.querySelector("main");
    const heading = main?.querySelector<HTMLElement>("h1");
    const isBusy = document.querySelector("[role=dialog]") !== null || (main?.contains(document.activeElement) ?? false);
    if (heading && !isBusy) {
      heading.tabIndex = -1;
      heading.focus({ preventScroll: true });
    }
    if (heading || isBusy || Date.now() - began > PATIENCE_MS) clearInterval(timer);
  }, 150);
  return () => clearInterval(timer);
}

/** After an act that was refused: the first wrong field. What is only tried while typing moves nothing. */
function focusWhatIsRefused(): () => void {
  let isAct = false;
  const act = () => (isAct = true);
  const type = () => (isAct = false);
  document.addEventListener("submit", act, true);
  document.addEventListener("click", act, true);
  document.addEventListener("input", type, true);
  const forget = onRefusal(() => {
    if (!isAct) return;
    setTimeout(() => {
      const roots = [...document.querySelectorAll("[role=dialog]"), ...document.querySelectorAll("main")];
      const wrong = roots[0]?.querySelector<HTMLElement>("[aria-invalid=true]");
      const field = wrong?.matches(FOCUSABLE) ? wrong : wrong?.querySelector<HTMLElement>(FOCUSABLE);
      field?.focus();
      field?.scrollIntoView({ block: "nearest" });
    }, 80);
  });
  return () => {
    forget();
    document.removeEventListener("submit", act, true);
    document.removeEventListener("click", act, true);
    document.removeEventListener("input", type, true);
  };
}
