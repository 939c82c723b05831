import { lazy, type ComponentType } from "react";
import { shared, useShared } from "./shared";

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
    await openAnew(address);
    throw new PageMissing("The page could not be loaded.", { cause: error });
  }
}

/** How long a page may take to go away. One that is still there then was kept by somebody with unsent drafts. */
const going = 10_000;

let leaving: Promise<void> | undefined;

/**
 * Opens an address anew if the service answers and this was not tried a moment ago. Returns only on a page that stays.
 * Where a person goes counts more than where they are.
 */
async function openAnew(address: string): Promise<void> {
  if (!navigator.onLine || !(await isUp())) return;
  if (leaving && address === location.href) return leaving;
  if (wasReloaded(address)) return;
  location.assign(address);
  leaving = new Promise((done) => setTimeout(done, going)).then(() => (leaving = undefined));
  return leaving;
}

const missing = shared(false);

/** Whether a part of the page is missing, and only opening the page anew brings it. */
export const useMissing = () => useShared(missing);

/** Fetches the code of a part of a page. Never fails, since the page around it is of use without the part. */
async function fetchPart<T>(load: () => Promise<T>, needed: boolean): Promise<T> {
  try {
    return await load();
  } catch {
    if (needed) await openAnew(location.href);
    missing.set(true);
    return new Promise<never>(() => undefined);
  }
}

/**
 * A part of a page whose code is fetched when it is first drawn, in a Suspense that shows what stands for it. Where
 * its code cannot be had the page stays as it is, without it, and useMissing says so. A page that does not work
 * without the part is opened anew first, once.
 */
export const part = <P>(load: () => Promise<{ default: ComponentType<P> }>, needed = false) =>
  lazy(() => fetchPart(load, needed));

/** Code that is needed for what somebody has just asked for could not be fetched. */
export class CodeMissing extends Error {}

/** Fetches code that is only needed now and then, such as a library. Fails with CodeMissing, which says what helps. */
export async function fetchCode<T>(load: () => Promise<T>): Promise<T> {
  try {
    return await load();
  } catch (cause) {
    throw new CodeMissing("A part of this page could not be loaded. Reload the page, then try again.", { cause });
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
