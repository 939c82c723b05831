import { useQuery, type QueryFunctionContext } from "@tanstack/react-query";
import { api, take, type Schemas } from "./api";
import { sourceKey } from "./keys";
import { shared, useShared } from "./shared";

export type Session = Schemas["Session"];

// The session has ended without its person signing out: pages stay as they are until they sign in again.
const ended = shared(false);

export const setEnded = ended.set;
export const hasEnded = ended.get;

/** Whether the session that the page was opened with has ended. */
export const useEnded = () => useShared(ended);

/** Asks who is signed in. Where a session has ended it answers with what it was, and says so by useEnded. */
export async function askSession({ client }: Pick<QueryFunctionContext, "client">): Promise<Session> {
  const now = await take(api.GET("/session"));
  const before = client.getQueryData<Session>(sourceKey("session"));
  const over = !!before?.signedIn && !now.signedIn;
  if (over !== hasEnded()) setEnded(over);
  return over ? before : now;
}

export function useSession() {
  return useQuery({ queryKey: sourceKey("session"), queryFn: askSession, staleTime: 60_000 });
}

export function useAbout() {
  return useQuery({
    queryKey: sourceKey("about"),
    queryFn: () => take(api.GET("/about")),
    staleTime: 300_000,
    refetchInterval: 600_000,
  });
}

/** Whether who asks may do something at all, as the service says. Records say what may be done with them. */
export function useMay(): (what: Schemas["Capability"]) => boolean {
  const may = useSession().data?.may ?? [];
  return (what) => may.includes(what);
}
