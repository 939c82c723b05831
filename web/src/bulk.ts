import { useState } from "react";

/** What was chosen from a list, by key. */
export function useChosen() {
  const [keys, setKeys] = useState<ReadonlySet<string>>(new Set());
  return {
    keys,
    has: (key: string) => keys.has(key),
    toggle: (key: string) => {
      const next = new Set(keys);
      if (!next.delete(key)) next.add(key);
      setKeys(next);
    },
    set: (all: Iterable<string>) => setKeys(new Set(all)),
  };
}

export type Chosen = ReturnType<typeof useChosen>;

type Progress = { running: boolean; done: number; of: number; failed: { name: string; why: string }[] };

const idle: Progress = { running: false, done: 0, of: 0, failed: [] };

/**
 * Does the same with one thing after another, and goes on where one is refused; refusals stay shown with the
 * reason until the next time.
 */
export function useBulk<T>(act: (item: T) => Promise<unknown>, nameOf: (item: T) => string, settled: () => unknown) {
  const [progress, setProgress] = useState<Progress>(idle);
  const run = async (items: T[]) => {
    const now: Progress = { running: true, done: 0, of: items.length, failed: [] };
    setProgress({ ...now });
    for (const item of items) {
      try {
        await act(item);
      } catch (e) {
        now.failed = [...now.failed, { name: nameOf(item), why: e instanceof Error ? e.message : String(e) }];
      }
      now.done++;
      setProgress({ ...now });
    }
    setProgress({ ...now, running: false });
    await settled();
  };
  return { ...progress, run };
}

export type Bulk = Omit<ReturnType<typeof useBulk>, "run">;
