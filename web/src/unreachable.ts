import { notifyManager, useQueryClient } from "@tanstack/react-query";
import { useCallback, useSyncExternalStore } from "react";
import { Unreachable } from "./api";

/** Whether something on the page could not be fetched again, so that it may be out of date. */
export function useUnreachable(): boolean {
  const cache = useQueryClient().getQueryCache();
  return useSyncExternalStore(
    useCallback((changed) => cache.subscribe(notifyManager.batchCalls(changed)), [cache]),
    () =>
      cache.getAll().some((q) => q.isActive() && q.state.data !== undefined && q.state.error instanceof Unreachable),
  );
}
