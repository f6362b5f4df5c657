import { QueryClient } from "@tanstack/react-query";

// Offline is told at once: nothing waits in secret for the line to come back.
export const queryClient = new QueryClient({
  defaultOptions: {
    queries: { retry: 1, networkMode: "always" },
    mutations: { networkMode: "always" },
  },
});
