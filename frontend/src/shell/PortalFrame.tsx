import { useEffect } from "react";
import { NavLink, Outlet, useNavigate } from "react-router";
import { Notifications } from "./Notifications";
import { useSession } from "./session";

/** The portal's frame: calmer and bigger, for everybody. */
export function PortalFrame() {
  const { me, session, signOut } = useSession();
  const navigate = useNavigate();
  useEffect(() => {
    document.documentElement.dataset.size = "portal";
    return () => {
      delete document.documentElement.dataset.size;
    };
  }, []);
  const link = ({ isActive }: { isActive: boolean }) => `rounded px-1 py-2 ${isActive ? "font-bold" : "text-ink-2 hover:text-ink"}`;
  return (
    <div className="min-h-screen">
      <a href="#content" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-sheet focus:p-2">
        Skip to the page
      </a>
      <header className="border-b border-line bg-sheet">
        <div className="mx-auto flex max-w-[1240px] flex-wrap items-center gap-x-6 gap-y-1 px-5 py-2">
          <NavLink to="/" className="flex items-center gap-2 text-[17px] font-bold">
            <img src="/gannet.svg" alt="" width="26" height="26" />
            Help at {session.organisation_short}
          </NavLink>
          <nav aria-label="Portal" className="flex gap-5">
            <NavLink to="/" end className={link}>
              Home
            </NavLink>
            <NavLink to="/approvals" className={link}>
              Approvals
            </NavLink>
            {me?.is_on_desk || me?.reads_desk ? (
              <NavLink to={me.is_on_desk ? "/desk/lookout" : "/desk/queue"} className={link}>
                Desk
              </NavLink>
            ) : null}
            {session.is_demo ? (
              <NavLink to="/desk/mailroom" className={link}>
                Mail room
              </NavLink>
            ) : null}
          </nav>
          <div className="flex-1" />
          <span className="rounded-small bg-bar text-white">
            <Notifications />
          </span>
          <span className="text-ink-2">
            {me?.name}
            {me?.place ? ` · ${me.place}` : ""}
          </span>
          <button
            type="button"
            className="rounded px-1 py-2 text-sea underline-offset-2 hover:underline"
            onClick={() => void signOut().then(() => navigate("/"))}
          >
            Sign out
          </button>
        </div>
      </header>
      <main id="content" className="mx-auto max-w-[1240px] px-5 pb-16">
        <Outlet />
      </main>
    </div>
  );
}
