import { useSyncExternalStore } from "react";

/** How long a removal can be undone. */
export const undoFor = 10_000;

/** Something that is removed as soon as the time to undo it is over. */
export type Removal = { key: string; words: string; run: () => Promise<unknown>; at: number };

let all: readonly Removal[] = [];
let failed: { words: string; error: Error } | undefined;
const listeners = new Set<() => void>();
const timers = new Map<string, ReturnType<typeof setTimeout>>();

function set(next: readonly Removal[]) {
  all = next;
  listeners.forEach((hear) => hear());
}

async function carryOut(r: Removal) {
  clearTimeout(timers.get(r.key));
  timers.delete(r.key);
  if (!all.includes(r)) return;
  try {
    await r.run();
  } catch (error) {
    failed = { words: r.words, error: error as Error };
  }
  set(all.filter((x) => x !== r));
}

// A page that is closed has no time left.
addEventListener("pagehide", () => all.forEach((r) => void carryOut(r)));

/**
 * Removes something, named by words, after the time to undo it: until then it is only hidden. run removes it for good;
 * it is called with the page still there or just closing, so that its request must be short.
 */
export function removeSoon(key: string, words: string, run: () => Promise<unknown>) {
  failed = undefined;
  const r: Removal = { key, words, run, at: Date.now() };
  timers.set(
    key,
    setTimeout(() => void carryOut(r), undoFor),
  );
  set([...all.filter((x) => x.key !== key), r]);
}

/** Takes a removal back: nothing was removed. */
export function undo(key: string) {
  clearTimeout(timers.get(key));
  timers.delete(key);
  set(all.filter((r) => r.key !== key));
}

export function dismissFailure() {
  failed = undefined;
  set([...all]);
}

const subscribe = (hear: () => void) => {
  listeners.add(hear);
  return () => listeners.delete(hear);
};

/** The removals that can still be undone. */
export const useRemovals = () => useSyncExternalStore(subscribe, () => all);

/** The removal that failed last, until the next one. */
export const useFailedRemoval = () => useSyncExternalStore(subscribe, () => failed);
