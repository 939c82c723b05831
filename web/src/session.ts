import { useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "./api";
import { sourceKey } from "./keys";

export function useSession() {
  return useQuery({ queryKey: sourceKey("session"), queryFn: () => take(api.GET("/session")), staleTime: 60_000 });
}

export function useAbout() {
  return useQuery({ queryKey: sourceKey("about"), queryFn: () => take(api.GET("/about")), staleTime: 300_000, refetchInterval: 600_000 });
}

/** Whether who asks may do something at all, as the service says. Things say for themselves what may be done with them. */
export function useMay(): (what: Schemas["Capability"]) => boolean {
  const may = useSession().data?.may ?? [];
  return (what) => may.includes(what);
}
