import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { isFigures } from "./keys";

/** When figures on the page last moved because the records changed; undefined until they do. */
export function useMoved(): Date | undefined {
  const queries = useQueryClient();
  const [moved, setMoved] = useState<Date>();
  useEffect(() => {
    const had = new Map<string, unknown>();
    return queries.getQueryCache().subscribe(({ type, query }) => {
      if (type !== "updated" || !isFigures(query.queryKey) || query.state.data === undefined) return;
      const before = had.get(query.queryHash);
      had.set(query.queryHash, query.state.data);
      if (before !== undefined && before !== query.state.data && query.isActive()) setMoved(new Date());
    });
  }, [queries]);
  return moved;
}
