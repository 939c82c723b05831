import { useCallback, useRef, type Dispatch, type SetStateAction } from "react";
import { useLocation, type Location } from "react-router";
import { everyKept, keep } from "./local";
import { useSession } from "./session";
import { shared, useShared } from "./shared";

/** What somebody has typed in a form and not saved: kept in this browser until it is saved or given up. */
export type Draft = {
  key: string;
  person: string;
  /** The address of the page with the form, and how the page is called. */
  address: string;
  title: string;
  field: string;
  value: unknown;
};

/** Where readers without an account keep what they type. */
const reader = "-";

const all = shared<ReadonlyMap<string, Draft>>(new Map());

/** Keeps a draft at once: the page may be closed with the next key. */
function set(key: string, draft: Draft | undefined) {
  const next = new Map(all.get());
  if (draft) next.set(key, draft);
  else next.delete(key);
  all.set(next);
  keep("drafts", key, draft);
}

// The browser asks before it closes a page with drafts.
addEventListener("beforeunload", (e) => {
  if ([...typedHere].some((key) => all.get().has(key))) e.preventDefault();
});

/** The drafts that were typed in this tab. */
const typedHere = new Set<string>();

let loaded: Promise<void> | undefined;

/** Reads the drafts that this browser keeps; what was typed since then stays. */
export function loadDrafts(): Promise<void> {
  loaded ??= (async () => {
    const kept = await everyKept("drafts");
    all.set(new Map([...kept, ...all.get()]));
  })();
  return loaded;
}

export const useDrafts = () => useShared(all);

/** A person's drafts, to count them. */
export const draftsOf = (person: string) => [...all.get().values()].filter((d) => d.person === person);

/** Forgets drafts: all of a person, or those of one page. */
export function dropDrafts(person: string, address?: string) {
  for (const d of draftsOf(person)) {
    if (address !== undefined && d.address !== address) continue;
    set(d.key, undefined);
  }
}

const equal = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

/** The address of a page, with what chooses the form on it. */
function addressOf({ pathname, search }: Location): string {
  const part = new URLSearchParams(search).get("part");
  return part ? `${pathname}?part=${part}` : pathname;
}

/**
 * What was typed on this page under a name and not saved, undefined where there is nothing, and a function that keeps
 * it from now on, or forgets it.
 */
export function useKept<T>(field: string): [T | undefined, (value: T | undefined) => void] {
  const person = useSession().data?.person?.name ?? reader;
  const address = addressOf(useLocation());
  const key = [person, address, field].join("\n");
  const keep = useCallback(
    (value: T | undefined) => {
      if (value === undefined && !all.get().has(key)) return;
      const title = document.title.replace(/ · [^·]*$/, "");
      set(key, value === undefined ? undefined : { key, person, address, title, field, value });
      typedHere.add(key);
    },
    [address, field, key, person],
  );
  return [useDrafts().get(key)?.value as T | undefined, keep];
}

/**
 * State of a form that outlives the page. field names the form, or the part of it, among those of its page. Answers
 * with the value, which is initial until something is typed; what sets it; and what gives it up, to be called once it
 * is saved.
 */
export function useDraft<T>(field: string, initial: T): [T, Dispatch<SetStateAction<T>>, () => void] {
  const [kept, keep] = useKept<T>(field);
  const value = kept ?? initial;
  const now = useRef({ value, initial });
  now.current = { value, initial };
  const change = useCallback<Dispatch<SetStateAction<T>>>(
    (to) => {
      const next = typeof to === "function" ? (to as (before: T) => T)(now.current.value) : to;
      now.current.value = next;
      keep(equal(next, now.current.initial) ? undefined : next);
    },
    [keep],
  );
  const drop = useCallback(() => keep(undefined), [keep]);
  return [value, change, drop];
}
