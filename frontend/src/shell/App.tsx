import { lazy, Suspense, useState } from "react";
import { createBrowserRouter, Navigate, Outlet, ScrollRestoration, useLocation } from "react-router";
import { Toaster } from "sonner";
import { Button, Dialog, Empty, Loading } from "../parts/ui";
import { SignInForm, SignInPage } from "../screens/signin/SignIn";
import { useLive } from "./live";
import { Offline } from "./Offline";
import { PageFocus } from "./PageFocus";
import { SessionProvider, useSession } from "./session";

// Which of the two frames it is can be told from the address: it comes with the first files.
const deskFrame = () => import("./DeskFrame");
const portalFrame = () => import("./PortalFrame");
void (window.location.pathname.startsWith("/desk") ? deskFrame : portalFrame)();
const DeskFrame = lazy(() => deskFrame().then((m) => ({ default: m.DeskFrame })));
const PortalFrame = lazy(() => portalFrame().then((m) => ({ default: m.PortalFrame })));
const HomePage = lazy(() => import("../screens/portal/HomePage").then((m) => ({ default: m.HomePage })));
const LookoutPage = lazy(() => import("../screens/lookout/LookoutPage").then((m) => ({ default: m.LookoutPage })));
const QueuePage = lazy(() => import("../screens/queue/QueuePage").then((m) => ({ default: m.QueuePage })));
const PrintPage = lazy(() => import("../screens/queue/PrintPage").then((m) => ({ default: m.PrintPage })));
const RecordPage = lazy(() => import("../screens/record/RecordPage").then((m) => ({ default: m.RecordPage })));
const ReportsPage = lazy(() => import("../screens/reports/ReportsPage").then((m) => ({ default: m.ReportsPage })));
const DashboardsPage = lazy(() => import("../screens/reports/DashboardsPage").then((m) => ({ default: m.DashboardsPage })));
const SharedWall = lazy(() => import("../screens/reports/SharedWall").then((m) => ({ default: m.SharedWall })));
const OutlookPage = lazy(() => import("../screens/reports/OutlookPage").then((m) => ({ default: m.OutlookPage })));
const TargetsPage = lazy(() => import("../screens/reports/TargetsPage").then((m) => ({ default: m.TargetsPage })));
const BehindPage = lazy(() => import("../screens/reports/BehindPage").then((m) => ({ default: m.BehindPage })));
const CabPage = lazy(() => import("../screens/changes/CabPage").then((m) => ({ default: m.CabPage })));
const ChangesPage = lazy(() => import("../screens/changes/ChangesPage").then((m) => ({ default: m.ChangesPage })));
const RoomPage = lazy(() => import("../screens/rooms/RoomPage").then((m) => ({ default: m.RoomPage })));
const ChatPage = lazy(() => import("../screens/rooms/ChatPage").then((m) => ({ default: m.ChatPage })));
const MajorsPage = lazy(() => import("../screens/rooms/MajorsPage").then((m) => ({ default: m.MajorsPage })));
const ProblemsPage = lazy(() => import("../screens/problems/ProblemsPage").then((m) => ({ default: m.ProblemsPage })));
const ServiceOrRoom = lazy(() => import("../screens/services/ServicePage").then((m) => ({ default: m.ServiceOrRoom })));
const ItemPage = lazy(() => import("../screens/services/ItemPage").then((m) => ({ default: m.ItemPage })));
const QuarantinePage = lazy(() => import("../screens/quarantine/QuarantinePage").then((m) => ({ default: m.QuarantinePage })));
const MailRoomPage = lazy(() => import("../screens/mailroom/MailRoomPage").then((m) => ({ default: m.MailRoomPage })));
const RulebookPage = lazy(() => import("../screens/rulebook/RulebookPage").then((m) => ({ default: m.RulebookPage })));
const AnswersPage = lazy(() => import("../screens/portal/AnswersPage").then((m) => ({ default: m.AnswersPage })));
const ArticlePage = lazy(() => import("../screens/articles/ArticlePage").then((m) => ({ default: m.ArticlePage })));
const ArticlesPage = lazy(() => import("../screens/articles/KnowledgePage").then((m) => ({ default: m.ArticlesPage })));
const PreparedPage = lazy(() => import("../screens/prepared/PreparedPage").then((m) => ({ default: m.PreparedPage })));
const OfferPage = lazy(() => import("../screens/portal/OfferPage").then((m) => ({ default: m.OfferPage })));
const BasketPage = lazy(() => import("../screens/portal/BasketPage").then((m) => ({ default: m.BasketPage })));
const ApprovalsPage = lazy(() => import("../screens/portal/ApprovalsPage").then((m) => ({ default: m.ApprovalsPage })));
const DecidePage = lazy(() => import("../screens/how/DecidePage").then((m) => ({ default: m.DecidePage })));
const BoardPage = lazy(() => import("../screens/board/BoardPage").then((m) => ({ default: m.BoardPage })));
const SurveyPage = lazy(() => import("../screens/how/SurveyPage").then((m) => ({ default: m.SurveyPage })));
const TokensPage = lazy(() => import("../screens/tokens/TokensPage").then((m) => ({ default: m.TokensPage })));
const ImportsPage = lazy(() => import("../screens/imports/ImportsPage").then((m) => ({ default: m.ImportsPage })));
const WorkingPage = lazy(() => import("../screens/working/WorkingPage").then((m) => ({ default: m.WorkingPage })));
const PreferencesPage = lazy(() => import("../screens/working/PreferencesPage").then((m) => ({ default: m.PreferencesPage })));
const ReportPage = lazy(() => import("../screens/portal/ReportPage").then((m) => ({ default: m.ReportPage })));
const MyTicketPage = lazy(() => import("../screens/portal/MyTicketPage").then((m) => ({ default: m.MyTicketPage })));

function Root() {
  return (
    <SessionProvider>
      <Signed />
    </SessionProvider>
  );
}

function Signed() {
  const { me, session, hasEnded } = useSession();
  useLive(me !== null && !hasEnded, session.news_after);
  return (
    <>
      <PageFocus />
      {me ? (
        <Suspense fallback={<Loading what="the page" />}>
          <Outlet />
        </Suspense>
      ) : (
        <SignInPage />
      )}
      {hasEnded ? <SessionEnded /> : null}
      <Offline />
      <ScrollRestoration
        getKey={(location) =>
          location.pathname.startsWith("/desk/tickets")
            ? location.key
            : location.pathname + location.search.replace(/[?&](open|log)=[^&]*/g, "")
        }
      />
      <Toaster position="bottom-right" visibleToasts={3} duration={8000} />
    </>
  );
}

/**
 * A bar, not a dialog: a dialog would take the focus from somebody in the middle of a
 * word, and the next key would press its first button.
 */
function SessionEnded() {
  const [isSigningIn, setSigningIn] = useState(false);
  return (
    <>
      <div
        role="alert"
        className="fixed inset-x-0 top-0 z-[45] flex flex-wrap items-center justify-center gap-3 border-b border-crown bg-crown-2 px-4 py-2"
      >
        <b>Your session has ended.</b> The page and what you type stay as they are.
        <Button tone="sea" onClick={() => setSigningIn(true)}>
          Sign in again
        </Button>
      </div>
      <Dialog title="Sign in again" about="What you have typed is kept." isOpen={isSigningIn} onClose={() => setSigningIn(false)}>
        <SignInForm />
      </Dialog>
    </>
  );
}

function DeskOnly() {
  const { me } = useSession();
  const location = useLocation();
  const isMail = location.pathname.startsWith("/desk/mailroom");
  if (!me?.reads_desk && !isMail)
    return (
      <Empty title="This part is for the desk">
        You can{" "}
        <a className="underline" href="/">
          ask for help here
        </a>
        .
      </Empty>
    );
  if (location.pathname.startsWith("/desk/lookout") && !me?.is_on_desk) return <Navigate to="/desk/queue" replace />;
  return <DeskFrame />;
}

function Nowhere() {
  return (
    <Empty title="There is nothing at this address">
      <a className="underline" href="/">
        Go to the start page
      </a>
    </Empty>
  );
}

function Broken() {
  return (
    <Empty title="This page stumbled">
      What you typed is kept.{" "}
      <a className="underline" href={window.location.href}>
        Load it again
      </a>
    </Empty>
  );
}

export const router = createBrowserRouter([
  {
    // Whoever has the link of the mail may answer, signed in or not.
    path: "/how/:token?",
    element: (
      <Suspense fallback={null}>
        <SurveyPage />
      </Suspense>
    ),
    errorElement: <Broken />,
  },
  {
    // A dashboard by its link, which anybody may have: the secret stands behind the #.
    path: "/wall",
    element: (
      <Suspense fallback={null}>
        <SharedWall />
      </Suspense>
    ),
    errorElement: <Broken />,
  },
  {
    path: "/decide/:token?",
    element: (
      <Suspense fallback={null}>
        <DecidePage />
      </Suspense>
    ),
    errorElement: <Broken />,
  },
  {
    element: <Root />,
    errorElement: <Broken />,
    children: [
      {
        element: <PortalFrame />,
        children: [
          { path: "/", element: <HomePage /> },
          { path: "/report", element: <ReportPage /> },
          { path: "/my/:number", element: <MyTicketPage /> },
          { path: "/ask/:key", element: <OfferPage /> },
          { path: "/room/:number", element: <RoomPage /> },
          { path: "/basket", element: <BasketPage /> },
          { path: "/approvals", element: <ApprovalsPage /> },
          { path: "/articles", element: <AnswersPage /> },
          { path: "/articles/:number", element: <ArticlePage /> },
          { path: "*", element: <Nowhere /> },
        ],
      },
      {
        path: "/desk",
        element: <DeskOnly />,
        children: [
          { index: true, element: <Navigate to="/desk/lookout" replace /> },
          { path: "lookout", element: <LookoutPage /> },
          { path: "queue", element: <QueuePage /> },
          { path: "print", element: <PrintPage /> },
          { path: "tickets/:number", element: <RecordPage /> },
          { path: "chat", element: <ChatPage /> },
          { path: "rooms", element: <MajorsPage /> },
          { path: "rooms/:number", element: <RoomPage /> },
          { path: "problems", element: <ProblemsPage /> },
          { path: "changes", element: <ChangesPage /> },
          { path: "changes/cab", element: <CabPage /> },
          { path: "services/:room?", element: <ServiceOrRoom /> },
          { path: "items/:number", element: <ItemPage /> },
          { path: "reports", element: <ReportsPage /> },
          { path: "dashboards/:number?", element: <DashboardsPage /> },
          { path: "reports/targets", element: <TargetsPage /> },
          { path: "reports/outlook", element: <OutlookPage /> },
          { path: "reports/behind", element: <BehindPage /> },
          { path: "mailroom", element: <MailRoomPage /> },
          { path: "quarantine", element: <QuarantinePage /> },
          { path: "rulebook/:room?", element: <RulebookPage /> },
          { path: "articles", element: <ArticlesPage /> },
          { path: "articles/:number", element: <ArticlePage /> },
          { path: "requests", element: <BoardPage /> },
          { path: "ready", element: <PreparedPage /> },
          { path: "tokens", element: <TokensPage /> },
          { path: "import", element: <ImportsPage /> },
          { path: "working", element: <WorkingPage /> },
          { path: "told", element: <PreferencesPage /> },
          { path: "*", element: <Nowhere /> },
        ],
      },
      { path: "*", element: <Nowhere /> },
    ],
  },
]);
