import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take } from "./api";
import { outdated, sourceKey } from "./keys";
import { removeSoon, useRemovals } from "./removals";
import { useSession } from "./session";

/** The pages that a person keeps by a title, and what can be done with them. */
export function useSavedViews() {
  const queries = useQueryClient();
  const signedIn = !!useSession().data?.signedIn;
  const removed = new Set(useRemovals().map((r) => r.key));
  const settled = () => outdated(queries, "savedViews");
  return {
    signedIn,
    views: useQuery({
      queryKey: sourceKey("savedViews"),
      enabled: signedIn,
      queryFn: () => take(api.GET("/me/views")).then((l) => l.views),
      select: (all) => all.filter((v) => !removed.has(`view ${v.id}`)),
      staleTime: 60_000,
    }),
    save: useMutation({
      mutationFn: (body: { title: string; address: string }) => take(api.POST("/me/views", { body })),
      onSuccess: settled,
    }),
    /** Drops a view, once the time to undo it is over. */
    drop: (view: { id: string; title: string }) =>
      removeSoon(`view ${view.id}`, `the view ${view.title}`, async () => {
        await take(api.DELETE("/me/views/{id}", { params: { path: { id: view.id } }, keepalive: true }));
        await settled();
      }),
  };
}
