import { useEffect, useState } from "react";
import { build } from "./build";
import { useAbout } from "./session";

const lookEvery = 10 * 60_000;

/** Keeps the console in this browser, for when there is no network. Answers with what ends it. */
function keepConsole(found: (waiting: ServiceWorker) => void): () => void {
  if (!import.meta.env.PROD || !navigator.serviceWorker) return () => undefined; // or not on a secure origin
  let timer: ReturnType<typeof setInterval> | undefined;
  void navigator.serviceWorker.register("/sw.js").then(
    (r) => {
      const tell = () => r.waiting && navigator.serviceWorker.controller && found(r.waiting);
      tell();
      r.addEventListener("updatefound", () => r.installing?.addEventListener("statechange", tell));
      timer = setInterval(() => void r.update().catch(() => undefined), lookEvery);
    },
    () => undefined, // a browser that does not keep it still shows it
  );
  return () => clearInterval(timer);
}

/**
 * Whether the service has a newer console than this page, and what takes it over: the page is loaded anew, which
 * loses nothing that was typed. keep says whether the console is kept for when there is no network.
 */
export function useUpgrade(keep: boolean): { ready: boolean; take: () => void } {
  const [waiting, setWaiting] = useState<ServiceWorker>();
  const about = useAbout();
  useEffect(() => (keep ? keepConsole(setWaiting) : undefined), [keep]);
  const newer = !!build && !!about.data?.console && about.data.console !== build;
  const take = () => {
    if (!waiting) return location.reload();
    navigator.serviceWorker.addEventListener("controllerchange", () => location.reload(), { once: true });
    waiting.postMessage("take over");
  };
  return { ready: newer || !!waiting, take };
}
