import { useSyncExternalStore } from "react";

/** A value that lives outside of every component. */
export type Shared<T> = { get: () => T; set: (next: T) => void; subscribe: (hear: () => void) => () => void };

export function shared<T>(initial: T): Shared<T> {
  let value = initial;
  const listeners = new Set<() => void>();
  return {
    get: () => value,
    set: (next) => {
      value = next;
      listeners.forEach((hear) => hear());
    },
    subscribe: (hear) => {
      listeners.add(hear);
      return () => listeners.delete(hear);
    },
  };
}

/** The value as it is now; the component is drawn anew when it changes. */
export const useShared = <T>(of: Shared<T>): T => useSyncExternalStore(of.subscribe, of.get);
