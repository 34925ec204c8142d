import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState, useSyncExternalStore } from "react";
import { isReachable, onReachable, ping } from "../api/reach";
import { tellTouched } from "./live";

const TRY_EVERY_MS = 3000;

/** Says that Gannet cannot be reached, keeps trying, and reads everything again when it can. */
export function Offline() {
  const queries = useQueryClient();
  const reachable = useSyncExternalStore(onReachable, isReachable);
  const [tries, setTries] = useState(0);
  useEffect(() => {
    if (reachable) {
      setTries(0);
      return undefined;
    }
    const timer = setInterval(() => {
      setTries((count) => count + 1);
      void ping().then((isBack) => {
        if (!isBack) return;
        void queries.invalidateQueries();
        tellTouched(null);
      });
    }, TRY_EVERY_MS);
    return () => clearInterval(timer);
  }, [reachable, queries]);
  if (reachable) return null;
  return (
    <div role="alert" className="fixed inset-x-0 top-0 z-[46] border-b border-crown bg-crown-2 px-4 py-2 text-center text-ink">
      <b>Gannet cannot be reached.</b> What you type is kept here; it goes on as soon as the line is back
      {tries > 1 ? `, tried ${tries} times` : ""}.
    </div>
  );
}
