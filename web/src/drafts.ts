import { useCallback, useRef, useSyncExternalStore, type Dispatch, type SetStateAction } from "react";
import { local } from "./local";
import { useSession } from "./session";

/** What somebody has typed in a form and not saved: kept in this browser until it is saved or given up. */
export type Draft = { key: string; person: string; document: string; field: string; value: unknown };

/** Where readers without an account keep what they type. */
const reader = "-";
const writeAfter = 250;

let all: ReadonlyMap<string, Draft> = new Map();
const listeners = new Set<() => void>();
const waiting = new Map<string, ReturnType<typeof setTimeout>>();

function set(key: string, draft: Draft | undefined) {
  const next = new Map(all);
  if (draft) next.set(key, draft);
  else next.delete(key);
  all = next;
  listeners.forEach((hear) => hear());
}

const write = (key: string) => {
  clearTimeout(waiting.get(key));
  waiting.delete(key);
  const draft = all.get(key);
  void local().then(async (db) => {
    if (draft) await db?.put("drafts", draft);
    else await db?.delete("drafts", key);
  });
};

// What is typed last is kept too where the page is closed at once.
addEventListener("pagehide", () => [...waiting.keys()].forEach(write));

let loaded: Promise<void> | undefined;

/** Reads the drafts that this browser keeps; what was typed since then stays. */
export function loadDrafts(): Promise<void> {
  loaded ??= (async () => {
    const kept = (await (await local())?.getAll("drafts")) ?? [];
    all = new Map([...kept.map((d) => [d.key, d] as const), ...all]);
    listeners.forEach((hear) => hear());
  })();
  return loaded;
}

const subscribe = (hear: () => void) => {
  listeners.add(hear);
  return () => listeners.delete(hear);
};

export const useDrafts = () => useSyncExternalStore(subscribe, () => all);

/** A person's drafts, to tell how many there are. */
export const draftsOf = (person: string) => [...all.values()].filter((d) => d.person === person);

/** Forgets drafts: all of a person, or those of one document. */
export function dropDrafts(person: string, document?: string) {
  for (const d of draftsOf(person)) {
    if (document !== undefined && d.document !== document) continue;
    set(d.key, undefined);
    write(d.key);
  }
}

const equal = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

/**
 * State of a form that outlives the page: document names what is written in, such as a review's id, and field the
 * part of it. Answers with the value, which is initial until something is typed; what sets it; what gives it up,
 * to be called once it is saved; and whether something is typed that is not saved.
 */
export function useDraft<T>(
  document: string,
  field: string,
  initial: T,
): [T, Dispatch<SetStateAction<T>>, () => void, boolean] {
  const person = useSession().data?.person?.name ?? reader;
  const key = [person, document, field].join("\n");
  const kept = useDrafts().get(key);
  const value = kept ? (kept.value as T) : initial;
  const now = useRef({ value, initial });
  now.current = { value, initial };
  const change = useCallback<Dispatch<SetStateAction<T>>>(
    (to) => {
      const next = typeof to === "function" ? (to as (before: T) => T)(now.current.value) : to;
      now.current.value = next;
      set(key, equal(next, now.current.initial) ? undefined : { key, person, document, field, value: next });
      clearTimeout(waiting.get(key));
      waiting.set(
        key,
        setTimeout(() => write(key), writeAfter),
      );
    },
    [document, field, key, person],
  );
  const drop = useCallback(() => {
    set(key, undefined);
    write(key);
  }, [key]);
  return [value, change, drop, !!kept];
}
