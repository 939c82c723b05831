import type { DehydratedState } from "@tanstack/react-query";
import { openDB, type DBSchema, type IDBPDatabase } from "idb";
import type { Draft } from "./drafts";
import type { Unsent } from "./unsent/answers";

/** What the browser keeps for somebody who has signed in. */
type Local = DBSchema & {
  /** Answers that the service does not have yet, one record each. */
  answers: { key: string; value: Unsent };
  /** Texts and forms that are not saved yet, one record each. */
  drafts: { key: string; value: Draft };
  /** What was fetched last, by person. */
  known: { key: string; value: { build: string; state: DehydratedState } };
};

let opened: Promise<IDBPDatabase<Local> | undefined> | undefined;

/** The browser's database; undefined where the browser keeps nothing, as some do in private windows. */
export function local(): Promise<IDBPDatabase<Local> | undefined> {
  opened ??= openDB<Local>("dapper-tally", 1, {
    upgrade(db) {
      db.createObjectStore("answers", { keyPath: "key" });
      db.createObjectStore("drafts", { keyPath: "key" });
      db.createObjectStore("known");
    },
    // A later version of the console waits for this one to let go.
    blocking: (_, __, event) => (event.target as IDBDatabase).close(),
  }).catch(() => undefined);
  return opened;
}

type Kept = { answers: Unsent; drafts: Draft };

/** What is on its way into the database: a page that closes a moment later would lose it there. */
const onItsWay = (store: keyof Kept, key = "") => `dapper-tally ${store} ${key}`;

/** Keeps a record, or forgets it where there is no value: at once, also where the page closes now. */
export function keep<S extends keyof Kept>(store: S, key: string, value: Kept[S] | undefined) {
  const name = onItsWay(store, key);
  const text = JSON.stringify(value ?? null);
  try {
    localStorage.setItem(name, text);
  } catch {
    // Too large for this store: the database has it in a moment.
  }
  void local().then(async (db) => {
    if (!db) return;
    if (value) await db.put(store, value);
    else await db.delete(store, key);
    if (localStorage.getItem(name) === text) localStorage.removeItem(name);
  });
}

/** Every record that is kept, by key. */
export async function everyKept<S extends keyof Kept>(store: S): Promise<Map<string, Kept[S]>> {
  const inDatabase = (await (await local())?.getAll(store)) ?? [];
  const all = new Map(inDatabase.map((x) => [x.key, x as Kept[S]]));
  const prefix = onItsWay(store);
  for (const name of Object.keys(localStorage).filter((n) => n.startsWith(prefix))) {
    const key = name.slice(prefix.length);
    try {
      const value = JSON.parse(localStorage.getItem(name) ?? "null") as Kept[S] | null;
      if (value) all.set(key, value);
      else all.delete(key);
      keep(store, key, value ?? undefined);
    } catch {
      localStorage.removeItem(name); // not written by the console
    }
  }
  return all;
}

/** This tab, as long as it is open. */
export const tab = crypto.randomUUID?.() ?? String(Math.random());

const lockOf = (id: string) => `dapper-tally tab ${id}`;

/** Shows the other tabs that this one is open. */
export function stayAlive() {
  void navigator.locks?.request(lockOf(tab), () => new Promise(() => undefined));
}

/** Whether a tab is still open. If tabs cannot be checked, one that was active within a minute counts as open. */
export async function isOpen(id: string, lastActive: number): Promise<boolean> {
  if (id === tab) return true;
  if (!navigator.locks) return Date.now() - lastActive < 60_000;
  const { held } = await navigator.locks.query();
  return !!held?.some((l) => l.name === lockOf(id));
}
