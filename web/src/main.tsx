import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { createRoot } from "react-dom/client";
import { Bakes } from "./bakes/bakes";
import { saveNow } from "./bench/store/autosave";
import { Bench } from "./bench/shell/bench";
import { Inspect } from "./inspect/inspect";
import { developWords } from "./bench/preview/display-transform";
import "./theme/theme.css";
import { usePath } from "./route";
import { Bin } from "./skies/bin";
import { Skies } from "./skies/skies";

function App() {
  const path = usePath();
  const id = /^\/sky\/([0-9a-f-]{36})$/.exec(path)?.[1];
  if (id) return <Bench key={id} id={id} />;
  if (path === "/bin") return <Bin />;
  if (path.startsWith("/inspect")) return <Inspect path={path} />;
  return path === "/bakes" ? <Bakes /> : <Skies />;
}

// For the test that holds the shader against the core.
Object.assign(window, { tenterDevelopWords: developWords });

// Offline is told at once: nothing waits in secret for the line to come back.
const client = new QueryClient({
  defaultOptions: {
    queries: { retry: 1, networkMode: "always" },
    mutations: { networkMode: "always" },
  },
});

// A page that is left, hidden or closed leaves nothing unsaved.
window.addEventListener("pagehide", saveNow);
document.addEventListener("visibilitychange", () => document.visibilityState === "hidden" && saveNow());
const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <QueryClientProvider client={client}>
      <Tooltip.Provider delayDuration={350}>
        <App />
      </Tooltip.Provider>
    </QueryClientProvider>,
  );
