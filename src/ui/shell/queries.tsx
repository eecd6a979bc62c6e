"use client";

import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { JobCancelled, WorkerDied } from "@/workers/jobs";

/** What is not looked at for this long is forgotten here; what was worth keeping is kept in the database. */
const FORGOTTEN_MS = 600_000;

/**
 * Everything that is worked out from sound is asked for through here. Keys hold content, so nothing goes stale; what nobody looks at any more
 * is given up; a worker that broke down is tried once more by itself.
 */
export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: Number.POSITIVE_INFINITY,
      gcTime: FORGOTTEN_MS,
      networkMode: "always",
      refetchOnWindowFocus: false,
      refetchOnReconnect: false,
      structuralSharing: false,
      retry: (failures, error) => error instanceof WorkerDied && failures < 1,
      retryDelay: 500,
    },
  },
});

export function Queries({ children }: { children: ReactNode }) {
  return <QueryClientProvider client={queryClient}>{children}</QueryClientProvider>;
}

/** Takes up again what broke off or was cancelled. */
export const tryAgain = (): void =>
  void queryClient.refetchQueries({ predicate: ({ state }) => state.status === "error" });

/** What stopped a result, for a person. */
export const sentenceOf = (error: unknown): string =>
  error instanceof JobCancelled
    ? "The measurement was cancelled."
    : error instanceof Error
      ? error.message
      : String(error);
