import { useSyncExternalStore } from "react";

const listeners = new Set<() => void>();
window.addEventListener("popstate", () => listeners.forEach((l) => l()));

/** Marks the address of a sky that was started empty and has not been looked at. */
export const FRESH = "#fresh";

/** Goes to a view by its address. */
export function go(path: string) {
  history.pushState(null, "", path);
  listeners.forEach((l) => l());
}

/** The address that is shown. */
export function usePath(): string {
  return useSyncExternalStore(
    (listen) => {
      listeners.add(listen);
      return () => listeners.delete(listen);
    },
    () => location.pathname,
  );
}
