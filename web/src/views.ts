import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take } from "./api";
import { outdated, sourceKey } from "./keys";
import { useSession } from "./session";

/** The pages that a person keeps by a title, and what can be done with them. */
export function useSavedViews() {
  const queries = useQueryClient();
  const signedIn = !!useSession().data?.signedIn;
  const settled = () => outdated(queries, "savedViews");
  return {
    signedIn,
    views: useQuery({
      queryKey: sourceKey("savedViews"),
      enabled: signedIn,
      queryFn: () => take(api.GET("/me/views")).then((l) => l.views),
      staleTime: 60_000,
    }),
    save: useMutation({
      mutationFn: (body: { title: string; address: string }) => take(api.POST("/me/views", { body })),
      onSuccess: settled,
    }),
    drop: useMutation({
      mutationFn: (id: string) => take(api.DELETE("/me/views/{id}", { params: { path: { id } } })),
      onSettled: settled,
    }),
  };
}
