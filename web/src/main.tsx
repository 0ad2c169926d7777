import "@fontsource-variable/instrument-sans";
import "@fontsource-variable/spline-sans-mono";
import { notifyManager, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, Navigate } from "react-router";
import { RouterProvider } from "react-router/dom";
import { ApiError } from "./api/client";
import { claimTab } from "./api/tab";
import { Frame } from "./bench/Frame";
import { useDrafts } from "./profile/drafts";
import { NotFound, Trouble } from "./ui/Messages";
import { unitsNamed, useUnits } from "./ui/units";
import { PlanView } from "./views/plan/PlanView";
import "./theme.css";

// An answer is drawn in the same turn it came, not after a timer: the curve follows the hand.
notifyManager.setScheduler(queueMicrotask);

const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      // A refusal stays a refusal; only a lost connection is tried again.
      retry: (count, error) => count < 5 && error instanceof ApiError && error.status === 0,
      retryDelay: 1000,
      networkMode: "always", // the server is on this machine: the browser's own "offline" means nothing
    },
    mutations: { networkMode: "always" },
  },
});
// The server's words come in the units they are read in.
useUnits.subscribe((now, before) => {
  if (unitsNamed(now) !== unitsNamed(before)) queryClient.invalidateQueries();
});

// Plan is where one begins; the other views come when they are first opened, or as soon as the page
// has nothing else to do, so that they open while the server is away.
const VIEWS = {
  begin: () => import("./views/begin/BeginView").then((m) => ({ Component: m.BeginView })),
  pull: () => import("./views/pull/PullView").then((m) => ({ Component: m.PullView })),
  shot: () => import("./views/pull/ShotRunning").then((m) => ({ Component: m.ShotRunning })),
  read: () => import("./views/read/ReadView").then((m) => ({ Component: m.ReadView })),
  bringIn: () => import("./views/read/BringIn").then((m) => ({ Component: m.BringIn })),
  taste: () => import("./views/taste/TasteView").then((m) => ({ Component: m.TasteView })),
  together: () =>
    import("./views/taste/together/TogetherView").then((m) => ({ Component: m.TogetherView })),
  session: () =>
    import("./views/taste/together/SessionView").then((m) => ({ Component: m.SessionView })),
  serving: () =>
    import("./views/taste/together/ServingSheet").then((m) => ({ Component: m.ServingSheet })),
  table: () => import("./views/taste/table/TableView").then((m) => ({ Component: m.TableView })),
  seat: () => import("./views/taste/table/SeatView").then((m) => ({ Component: m.SeatView })),
  several: () => import("./views/taste/SeveralView").then((m) => ({ Component: m.SeveralView })),
  compare: () => import("./views/taste/CompareView").then((m) => ({ Component: m.CompareView })),
  learnt: () => import("./views/learn/LearntView").then((m) => ({ Component: m.LearntView })),
  next: () => import("./views/next/NextView").then((m) => ({ Component: m.NextView })),
  firstWeek: () =>
    import("./views/week/FirstWeekView").then((m) => ({ Component: m.FirstWeekView })),
  trail: () => import("./views/trail/TrailView").then((m) => ({ Component: m.TrailView })),
  shelf: () => import("./views/shelf/ShelfView").then((m) => ({ Component: m.ShelfView })),
  tidy: () => import("./views/tidy/TidyView").then((m) => ({ Component: m.TidyView })),
  print: () => import("./views/print/PrintView").then((m) => ({ Component: m.PrintView })),
};

const router = createBrowserRouter([
  {
    path: "/",
    element: <Frame />,
    errorElement: <Trouble />,
    hydrateFallbackElement: <p className="p-5">Loading the page…</p>,
    children: [
      { index: true, element: <Navigate to="/plan" replace /> },
      { path: "plan/:profileId?", element: <PlanView /> },
      { path: "begin", lazy: VIEWS.begin },
      { path: "pull", lazy: VIEWS.pull },
      { path: "pull/shot/:shotId", lazy: VIEWS.shot },
      { path: "pull/:profileId/:number", lazy: VIEWS.pull },
      { path: "read/bring-in", lazy: VIEWS.bringIn },
      { path: "read/:shotId?", lazy: VIEWS.read },
      { path: "taste/together", lazy: VIEWS.together },
      { path: "taste/several", lazy: VIEWS.several },
      { path: "taste/together/:sessionId", lazy: VIEWS.session },
      { path: "taste/together/:sessionId/serving", lazy: VIEWS.serving },
      { path: "taste/:shotId?", lazy: VIEWS.taste },
      { path: "taste/:first/with/:second", lazy: VIEWS.compare },
      { path: "next/:shotId?", lazy: VIEWS.next },
      { path: "first-week", lazy: VIEWS.firstWeek },
      { path: "trail/:coffeeId?", lazy: VIEWS.trail },
      { path: "shelf/learnt/:coffeeId?/:grinderId?/:machineId?", lazy: VIEWS.learnt },
      { path: "shelf/:kind?/:id?", lazy: VIEWS.shelf },
      { path: "tidy/:shotId?", lazy: VIEWS.tidy },
      { path: "print/:profileId/:number", lazy: VIEWS.print },
      { path: "*", element: <NotFound /> },
    ],
  },
  // A phone at a tasting sees its own cups and nothing of the bench.
  {
    path: "/table/:join",
    errorElement: <Trouble />,
    hydrateFallbackElement: <p className="p-5">Loading the page…</p>,
    children: [
      { index: true, lazy: VIEWS.table },
      { path: ":tasterId", lazy: VIEWS.seat },
    ],
  },
]);

const root = document.getElementById("root");
if (!root) throw new Error("index.html has no #root");
await claimTab();
await useDrafts.persist.rehydrate();
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={queryClient}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  </StrictMode>,
);

// Not before the first view is drawn, and not all at once while it still asks the server.
const whenIdle = window.requestIdleCallback ?? ((run: () => void) => setTimeout(run, 500));
whenIdle(() => {
  for (const load of Object.values(VIEWS)) void load();
});
