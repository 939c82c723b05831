/// <reference lib="webworker" />
// Keeps the console in the browser of somebody who has signed in, so that it opens without a network.
import { cleanupOutdatedCaches, matchPrecache, precacheAndRoute, type PrecacheEntry } from "workbox-precaching";
import { NavigationRoute, registerRoute } from "workbox-routing";

declare const self: ServiceWorkerGlobalScope & { __WB_MANIFEST: PrecacheEntry[] };

/** How long the service may take to send the page before the one that is kept is shown. */
const patience = 4000;

precacheAndRoute(self.__WB_MANIFEST, { directoryIndex: "" });
cleanupOutdatedCaches();

/** Addresses that the service answers with something other than the console. */
const notTheConsole = [
  /^\/(api|docs|figures|files|sign-on|oauth|previews|frames)\//,
  /^\/(report|docs|calendar\.ics|healthz|readyz|metrics)$/,
  /^\/reports\/(?!new$)[^/]+(\/revision\/.*)?$/,
];

registerRoute(
  new NavigationRoute(
    async ({ request }) => {
      try {
        return await fetch(request, { signal: AbortSignal.timeout(patience) });
      } catch {
        return (await matchPrecache("/index.html")) ?? Response.error();
      }
    },
    { denylist: notTheConsole },
  ),
);

// A new version waits until somebody asks for it: pages of the version before go on with their own.
self.addEventListener("message", (e) => {
  if (e.data === "take over") void self.skipWaiting();
});
