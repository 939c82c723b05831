import { shared, useShared } from "./shared";

/** How long a removal can be undone. */
const undoFor = 10_000;

/** Something that is removed as soon as the time to undo it is over. */
export type Removal = { key: string; words: string; run: () => Promise<unknown> };

const all = shared<readonly Removal[]>([]);
const failed = shared<{ words: string; error: Error } | undefined>(undefined);
const timers = new Map<string, ReturnType<typeof setTimeout>>();

async function carryOut(r: Removal) {
  clearTimeout(timers.get(r.key));
  timers.delete(r.key);
  if (!all.get().includes(r)) return;
  try {
    await r.run();
  } catch (error) {
    failed.set({ words: r.words, error: error as Error });
  }
  all.set(all.get().filter((x) => x !== r));
}

// A page that is closed has no time left.
addEventListener("pagehide", () => all.get().forEach((r) => void carryOut(r)));

/**
 * Removes something, named by words, after the time to undo it: until then it is only hidden. run removes it for good;
 * it is called with the page still there or just closing, so that its request must be short.
 */
export function removeSoon(key: string, words: string, run: () => Promise<unknown>) {
  failed.set(undefined);
  const r: Removal = { key, words, run };
  timers.set(
    key,
    setTimeout(() => void carryOut(r), undoFor),
  );
  all.set([...all.get().filter((x) => x.key !== key), r]);
}

/** Takes a removal back: nothing was removed. */
export function undo(key: string) {
  clearTimeout(timers.get(key));
  timers.delete(key);
  all.set(all.get().filter((r) => r.key !== key));
}

export const dismissFailure = () => failed.set(undefined);

/** The removals that can still be undone. */
export const useRemovals = () => useShared(all);

/** The removal that failed last, until the next one. */
export const useFailedRemoval = () => useShared(failed);
