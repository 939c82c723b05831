import { useQuery } from "@tanstack/react-query";
import { api, take } from "./api";
import { sourceKey } from "./keys";

/** What the service says of itself now: whether it waits to be set up changes once. */
export const useAboutNow = () =>
  useQuery({ queryKey: sourceKey("about", "now"), queryFn: () => take(api.GET("/about")), gcTime: 0 });
