import { useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { oldestSeen, seen } from "./api";
import { notFetchedYet } from "./front";
import { hasEnded } from "./session";
import { outdated, stale, type Announced } from "./keys";

/** Changes that come close together are handled together. */
const together = 150;
const againAfter = 5000;
const channelName = "dapper-tally changes";

/** Collects changes and has what they make stale fetched anew: at once where it is on a page that is seen. */
function follower(queries: QueryClient) {
  let announced: Announced[] = [];
  let timer: ReturnType<typeof setTimeout> | undefined;
  const take = () => {
    const now = announced;
    announced = [];
    timer = undefined;
    void queries.invalidateQueries({
      predicate: (q) => now.some((t) => stale(q.queryKey, t)),
      refetchType: document.visibilityState === "hidden" ? "none" : "active",
    });
  };
  return {
    hear(t: Announced) {
      seen(t.number);
      announced.push(t);
      timer ??= setTimeout(take, together);
    },
    stop: () => clearTimeout(timer),
  };
}

/** Waits for the turn to hold the one stream of this browser; where tabs cannot agree, each has its own. */
async function turn(signal: AbortSignal, hold: () => Promise<void>) {
  if (!navigator.locks) return hold(); // not on a secure origin
  await navigator.locks.request(channelName, { signal }, hold).catch(() => undefined); // left while waiting
}

/**
 * Follows the service's changes while somebody is signed in, so that what others do arrives by itself. One tab
 * holds the stream and informs the others: a browser has few connections to one service.
 */
export function useChanges(signedIn: boolean) {
  const queries = useQueryClient();
  useEffect(() => {
    if (!signedIn || typeof EventSource === "undefined") return;
    const stop = new AbortController();
    void queries.invalidateQueries({ predicate: notFetchedYet }); // nobody knows which changes it has seen
    const changes = follower(queries);
    const channel = new BroadcastChannel(channelName);
    channel.onmessage = (e) => changes.hear(e.data as Announced);
    let heard = false; // all that came since this page was opened
    // A stream that was opened after the session has ended would be a reader's for good.
    const again = () => void (hasEnded() ? setTimeout(again, againAfter) : open());
    const later = () => {
      void outdated(queries, "session");
      setTimeout(again, againAfter);
    };
    const open = () => {
      if (stop.signal.aborted) return;
      const after = heard ? undefined : oldestSeen();
      const source = new EventSource(`/api/v1/events${after === undefined ? "" : `?after=${after}`}`);
      source.onopen = () => {
        if (after === undefined) void queries.invalidateQueries(); // what came meanwhile was not heard
        heard = true;
      };
      source.onmessage = (e) => {
        const announced = JSON.parse(e.data as string) as Announced;
        changes.hear(announced);
        channel.postMessage(announced);
      };
      source.addEventListener("over", () => {
        source.close();
        later();
      });
      source.onerror = () => {
        if (source.readyState !== EventSource.CLOSED) return; // comes back by itself, with what it missed
        later();
      };
      stop.signal.addEventListener("abort", () => source.close());
    };
    void turn(stop.signal, () => {
      open();
      return new Promise<void>((done) => stop.signal.addEventListener("abort", () => done()));
    });
    const look = () => {
      if (document.visibilityState === "visible")
        void queries.refetchQueries({ type: "active", predicate: (q) => q.state.isInvalidated });
    };
    document.addEventListener("visibilitychange", look);
    return () => {
      document.removeEventListener("visibilitychange", look);
      stop.abort();
      changes.stop();
      channel.close();
    };
  }, [queries, signedIn]);
}
