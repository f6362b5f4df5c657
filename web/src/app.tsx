import { t } from "./text";
import { QueryClientProvider } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { lazy, Suspense } from "react";
import { Route, Switch } from "wouter";
import { queryClient } from "./data/query-client";
import { Bin } from "./skies/bin";
import { Skies } from "./skies/skies";

// What is not the wall of skies comes when it is gone to.
const Bench = lazy(() => import("./bench/shell/bench").then((m) => ({ default: m.Bench })));
const Inspect = lazy(() => import("./inspect/inspect").then((m) => ({ default: m.Inspect })));
const Bakes = lazy(() => import("./bakes/bakes").then((m) => ({ default: m.Bakes })));

const Views = () => (
  <Switch>
    <Route path="/sky/:id">{({ id }) => <Bench key={id} id={id} />}</Route>
    <Route path="/bin" component={Bin} />
    <Route path="/inspect/*?">{() => <Inspect path={location.pathname} />}</Route>
    <Route path="/bakes" component={Bakes} />
    <Route component={Skies} />
  </Switch>
);

/** The whole application; its address chooses the view. */
export const App = () => (
  <QueryClientProvider client={queryClient}>
    <Tooltip.Provider delayDuration={350}>
      <Suspense fallback={<main className="p-8 text-quiet">{t("Opening…")}</main>}>
        <Views />
      </Suspense>
    </Tooltip.Provider>
  </QueryClientProvider>
);
