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

/** This tab, as long as it is open. */
export const tab = crypto.randomUUID?.() ?? String(Math.random());

const lockOf = (id: string) => `dapper-tally tab ${id}`;

/** Shows the other tabs that this one is open. */
export function stayAlive() {
  void navigator.locks?.request(lockOf(tab), () => new Promise(() => undefined));
}

/** Whether the tab of that name is still open. Where tabs cannot tell, one that was active within a minute counts as open. */
export async function isOpen(id: string, lastActive: number): Promise<boolean> {
  if (id === tab) return true;
  if (!navigator.locks) return Date.now() - lastActive < 60_000;
  const { held } = await navigator.locks.query();
  return !!held?.some((l) => l.name === lockOf(id));
}
