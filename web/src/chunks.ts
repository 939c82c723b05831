import type { ComponentType } from "react";

/** A page's code: the component that draws it. */
export type Page = { default: ComponentType };

/**
 * A page's code cannot be had: the connection is lost, or the service has another version by now. A browser may
 * remember that the code was not there, so that only opening the address anew helps.
 */
export class PageMissing extends Error {}

export const desk = () => import("./pages/desk/Desk");
export const work = () => import("./pages/Work");
export const unsent = () => import("./pages/Unsent");

/** Fetches the code of the pages that a reviewer works on, before the connection is lost. */
export const prefetchDesk = () => void Promise.allSettled([desk(), work(), unsent()]);

const reloaded = "page fetched anew";
/** A page that is missing so soon after a reload is missing for another reason. */
const soon = 60_000;

/**
 * Fetches a page's code. Where the service does not have it any more, since it was upgraded under the open tab, the
 * address is opened anew, once: what is typed is kept by then. Fails with PageMissing.
 */
export async function fetchPage(load: () => Promise<Page>, address: string): Promise<Page> {
  try {
    return await load();
  } catch (error) {
    if (navigator.onLine && (await isUp()) && !wasReloaded(address)) {
      location.assign(address);
      return new Promise(() => undefined); // the page goes away
    }
    throw new PageMissing("The page could not be loaded.", { cause: error });
  }
}

/** Whether the service answers: reloading helps only then. */
export const isUp = () =>
  fetch("/healthz", { cache: "no-store" }).then(
    (r) => r.ok,
    () => false,
  );

function wasReloaded(address: string): boolean {
  try {
    const last = JSON.parse(sessionStorage.getItem(reloaded) ?? "{}") as { address?: string; at?: number };
    if (last.address === address && Date.now() - (last.at ?? 0) < soon) return true;
    sessionStorage.setItem(reloaded, JSON.stringify({ address, at: Date.now() }));
    return false;
  } catch {
    return true; // without a memory it would reload for ever
  }
}
