import { useQuery } from "@tanstack/react-query";
import { api, take } from "./api";
import { sourceKey } from "./keys";
import { isStuck, useAnswers } from "./unsent/answers";

/** What waits for whom has signed in, the most urgent first. */
export function useNotices() {
  return useQuery({
    queryKey: sourceKey("notices"),
    queryFn: () => take(api.GET("/me/notices")).then((l) => l.notices),
    staleTime: 30_000,
    refetchInterval: 300_000, // a day may have come
  });
}

/** What this browser holds that the service refused, or somebody else has answered meanwhile. */
export const useConflicts = (person: string) => useAnswers().filter((a) => a.person === person && isStuck(a));
