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
import { PlanView } from "./views/plan/PlanView";
import { PrintView } from "./views/print/PrintView";
import { PullView } from "./views/pull/PullView";
import { ShotRunning } from "./views/pull/ShotRunning";
import { ShelfView } from "./views/shelf/ShelfView";
import { CompareView } from "./views/taste/CompareView";
import { TasteView } from "./views/taste/TasteView";
import { TidyView } from "./views/tidy/TidyView";
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

const router = createBrowserRouter([
  {
    path: "/",
    element: <Frame />,
    errorElement: <Trouble />,
    children: [
      { index: true, element: <Navigate to="/plan" replace /> },
      { path: "plan/:profileId?", element: <PlanView /> },
      { path: "pull", element: <PullView /> },
      { path: "pull/shot/:shotId", element: <ShotRunning /> },
      { path: "pull/:profileId/:number", element: <PullView /> },
      { path: "taste/:shotId?", element: <TasteView /> },
      { path: "taste/:first/with/:second", element: <CompareView /> },
      { path: "shelf/:kind?/:id?", element: <ShelfView /> },
      { path: "tidy/:shotId?", element: <TidyView /> },
      { path: "print/:profileId/:number", element: <PrintView /> },
      { path: "*", element: <NotFound /> },
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
