import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { createRoot } from "react-dom/client";
import { lazy, Suspense } from "react";
import "./theme/theme.css";
import { usePath } from "./route";
import { Bin } from "./skies/bin";
import { Skies } from "./skies/skies";

// What is not the wall of skies comes when it is gone to.
const Bench = lazy(() => import("./bench/shell/bench").then((m) => ({ default: m.Bench })));
const Inspect = lazy(() => import("./inspect/inspect").then((m) => ({ default: m.Inspect })));
const Bakes = lazy(() => import("./bakes/bakes").then((m) => ({ default: m.Bakes })));

function App() {
  const path = usePath();
  const id = /^\/sky\/([0-9a-f-]{36})$/.exec(path)?.[1];
  if (id) return <Bench key={id} id={id} />;
  if (path === "/bin") return <Bin />;
  if (path.startsWith("/inspect")) return <Inspect path={path} />;
  return path === "/bakes" ? <Bakes /> : <Skies />;
}

// Offline is told at once: nothing waits in secret for the line to come back.
const client = new QueryClient({
  defaultOptions: {
    queries: { retry: 1, networkMode: "always" },
    mutations: { networkMode: "always" },
  },
});

const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <QueryClientProvider client={client}>
      <Tooltip.Provider delayDuration={350}>
        <Suspense fallback={<main className="p-8 text-quiet">Opening…</main>}>
          <App />
        </Suspense>
      </Tooltip.Provider>
    </QueryClientProvider>,
  );
