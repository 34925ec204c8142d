import { useQuery, useQueryClient } from "@tanstack/react-query";
import { createContext, Fragment, type ReactNode, useContext, useEffect, useMemo, useState } from "react";
import { useNavigate } from "react-router";
import { api, type Me, noteSignIn, ok, onSignedOut, type Session, setCsrf } from "../api/client";
import { belongTo, onChangeElsewhere, saveAll } from "../parts/belongings";
import { setCurrency } from "../parts/money";
import { setZone } from "../parts/time";

interface SessionState {
  session: Session;
  me: Me | null;
  /** The session ended while somebody was working: sign in again over the page. */
  hasEnded: boolean;
  accept: (session: Session) => void;
  signOut: () => Promise<void>;
}

const Context = createContext<SessionState | null>(null);

export function useSession(): SessionState {
  const state = useContext(Context);
  if (!state) throw new Error("useSession outside of SessionProvider");
  return state;
}

/** The page on which somebody starts. */
function startOf(person: Me): string {
  if (person.is_on_desk) return "/desk/lookout";
  return person.roles.includes("manager") ? "/desk/reports" : "/";
}

export function SessionProvider({ children }: { children: ReactNode }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [hasEnded, setEnded] = useState(false);
  const { data, error, refetch } = useQuery({
    queryKey: ["session"],
    queryFn: async () => {
      const session = await ok(api.GET("/api/session"));
      setCsrf(session.csrf);
      return session;
    },
    staleTime: Infinity,
  });
  useEffect(() => onSignedOut(() => setEnded(true)), []);
  useEffect(
    () =>
      onChangeElsewhere(() => {
        // Somebody left in another tab, or somebody else came: this one asks who it is.
        queries.removeQueries({ predicate: (q) => q.queryKey[0] !== "session" });
        void queries.invalidateQueries({ queryKey: ["session"] });
      }),
    [queries],
  );
  // Before anything of theirs is read or drawn.
  if (data) belongTo(data.person?.id ?? null);
  if (data) setCurrency(data.currency_sign);
  if (data?.person) setZone(data.person.zone);

  const state = useMemo<SessionState | null>(() => {
    if (!data) return null;
    return {
      session: data,
      me: data.person,
      hasEnded: hasEnded && data.person !== null,
      accept: (session) => {
        const isStart = data.person === null && window.location.pathname === "/";
        if (isStart && session.person) void navigate(startOf(session.person), { replace: true });
        const isSame = session.person?.id === data.person?.id;
        setCsrf(session.csrf);
        noteSignIn();
        setEnded(false);
        belongTo(session.person?.id ?? null);
        queries.setQueryData(["session"], session);
        // Somebody else signed in: nothing of the one before may be shown.
        if (isSame) void queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "session" });
        else queries.removeQueries({ predicate: (q) => q.queryKey[0] !== "session" });
      },
      signOut: async () => {
        await saveAll();
        const session = await ok(api.DELETE("/api/session"));
        setCsrf(session.csrf);
        belongTo(null);
        queries.clear();
        queries.setQueryData(["session"], session);
      },
    };
  }, [data, hasEnded, navigate, queries]);

  if (error)
    return (
      <div className="p-10">
        <h1 className="text-lg font-bold">Gannet cannot be reached</h1>
        <p className="mb-4 text-ink-2">It may be starting. Nothing you typed is lost.</p>
        <button type="button" className="rounded-small bg-sea px-3 py-1.5 font-semibold text-on-sea" onClick={() => void refetch()}>
          Try again
        </button>
      </div>
    );
  if (!state)
    return (
      <p className="p-10 text-ink-2" role="status">
        Opening Gannet…
      </p>
    );
  // Another person begins anew: nothing typed or opened by the one before stays on the page.
  return (
    <Context.Provider value={state}>
      <Fragment key={state.me?.id ?? "nobody"}>{children}</Fragment>
    </Context.Provider>
  );
}
