import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { outdated, sourceKey } from "./keys";
import { setEnded, type Session } from "./session";

const channelName = "dapper-tally session";

/** Tells the other tabs that somebody signed in or out: they ask anew who it is. */
function announce() {
  const channel = new BroadcastChannel(channelName);
  channel.postMessage("changed");
  channel.close();
}

/** What is to be done when somebody has signed in or out: what was fetched for another is forgotten. */
export function useSigning() {
  const queries = useQueryClient();
  return {
    signedIn: (session: Session) => {
      const before = queries.getQueryData<Session>(sourceKey("session"))?.person?.name;
      if (before === session.person?.name) void queries.invalidateQueries();
      else {
        // What pages show now is asked again, so that all of them see the new session.
        queries.removeQueries({ type: "inactive" });
        void queries.resetQueries();
      }
      queries.setQueryData(sourceKey("session"), session);
      setEnded(false);
      announce();
    },
    signedOut: () => {
      queries.clear();
      setEnded(false);
      announce();
    },
  };
}

/** Asks anew who is signed in where another tab has changed it. */
export function useOtherTabs() {
  const queries = useQueryClient();
  useEffect(() => {
    const channel = new BroadcastChannel(channelName);
    channel.onmessage = () => void outdated(queries, "session");
    return () => channel.close();
  }, [queries]);
}
