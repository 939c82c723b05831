import { useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { seen } from "./api";

type Told = { number: number; sort?: string; subject?: string; action?: string; person?: string };

/** What is fetched anew when something changes, by what it is about. */
const about: Record<string, string[]> = {
  catalogue: ["catalogue", "editions", "queue", "ranking"],
  rig: ["rigs"],
  checklist: ["checklist", "versions", "ranking"],
  proposal: ["proposals", "proposal"],
  queue: ["queue", "suggestions"],
  plan: ["plans", "plan", "bench", "sheet"],
  trouble: ["troubles", "trouble"],
  policy: ["policy"],
  report: ["reports", "report", "report moved", "report versions"],
};

function refetch(queries: QueryClient, told: Told) {
  seen(told.number);
  const invalidate = (...queryKey: string[]) => void queries.invalidateQueries({ queryKey });
  for (const key of about[told.sort ?? ""] ?? []) invalidate(key);
  if (told.sort !== "review") return;
  if (told.subject === "*") return void queries.invalidateQueries();
  for (const key of ["review", "readings", "desk", "doubts", "entries", "loose-ends"])
    invalidate(key, told.subject ?? "");
  for (const key of ["sheet", "plan", "queue"]) invalidate(key);
  if (told.action !== "recorded") {
    invalidate("reviews");
    invalidate("beside", told.subject ?? "");
  }
  if (told.action === "accepted" || told.action === "withdrawn")
    for (const key of ["ranking", "scorecard", "points"]) invalidate(key);
}

/**
 * Follows the service's changes while somebody is signed in and looks at the page, so
 * that what others do arrives by itself. A browser has few connections to one service:
 * a page that is hidden or left gives its own back, and fetches anew when it is seen again.
 */
export function useChanges(signedIn: boolean) {
  const queries = useQueryClient();
  useEffect(() => {
    if (!signedIn || typeof EventSource === "undefined") return;
    let source: EventSource | undefined;
    let away = false;
    const close = () => {
      source?.close();
      source = undefined;
    };
    const follow = () => {
      if (document.visibilityState === "hidden") {
        away = true;
        close();
        return;
      }
      if (source) return;
      source = new EventSource("/api/v1/events");
      source.onmessage = (e) => refetch(queries, JSON.parse(e.data as string) as Told);
      if (away) void queries.invalidateQueries();
      away = false;
    };
    const leave = () => {
      away = true;
      close();
    };
    follow();
    document.addEventListener("visibilitychange", follow);
    window.addEventListener("pageshow", follow);
    window.addEventListener("pagehide", leave);
    return () => {
      document.removeEventListener("visibilitychange", follow);
      window.removeEventListener("pageshow", follow);
      window.removeEventListener("pagehide", leave);
      close();
    };
  }, [queries, signedIn]);
}
