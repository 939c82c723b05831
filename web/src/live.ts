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

/** What the tab with the stream tells one that was opened later: all changes after a number, or the newest of them. */
type Recent = { after?: number; changes: Announced[] };
const mostRecent = 500;

/** What tabs tell each other: a change, that any change may have been missed, a question, and its answer. */
type Message = Announced | "all" | "recent?" | Recent;

const withNewest = ({ after, changes }: Recent, newest: Announced): Recent =>
  changes.length < mostRecent
    ? { after, changes: [...changes, newest] }
    : { after: changes[0].number, changes: [...changes.slice(1), newest] };

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
 * has the stream and informs the others: a browser has few connections to one service. A tab that is opened later
 * asks it for the changes since the first answers to the tab's own requests.
 */
export function useChanges(signedIn: boolean) {
  const queries = useQueryClient();
  useEffect(() => {
    if (!signedIn || typeof EventSource === "undefined") return;
    const stop = new AbortController();
    void queries.invalidateQueries({ predicate: notFetchedYet }); // nobody knows which changes it has seen
    const changes = follower(queries);
    const channel = new BroadcastChannel(channelName);
    let recent: Recent | undefined; // while this tab has the stream
    let asking = true;
    const catchUp = ({ after, changes: missed }: Recent) => {
      const since = oldestSeen() ?? after;
      if (after === undefined || since === undefined || since < after) void queries.invalidateQueries();
      else missed.filter((t) => !(t.number <= since)).forEach(changes.hear); // readers get no numbers
    };
    channel.onmessage = ({ data }: MessageEvent<Message>) => {
      if (data === "all") void queries.invalidateQueries();
      else if (data === "recent?") {
        if (recent) channel.postMessage(recent);
      } else if (!("changes" in data)) changes.hear(data);
      else if (asking) {
        asking = false;
        catchUp(data);
      }
    };
    channel.postMessage("recent?");
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
      recent = { after, changes: [] };
      const source = new EventSource(`/api/v1/events${after === undefined ? "" : `?after=${after}`}`);
      source.onopen = () => {
        heard = true;
        if (after !== undefined) {
          // The stream brings what was missed. What could not be fetched meanwhile is fetched now.
          void queries.refetchQueries({ type: "active", predicate: (q) => q.state.status === "error" });
          return;
        }
        void queries.invalidateQueries(); // what came meanwhile was not heard
        channel.postMessage("all");
      };
      source.onmessage = (e) => {
        const announced = JSON.parse(e.data as string) as Announced;
        changes.hear(announced);
        recent = withNewest(recent ?? { after, changes: [] }, announced);
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
