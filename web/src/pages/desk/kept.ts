import type { Item } from "./outbox";

export type Items = Record<string, Item>;

/** Where the browser keeps what a person typed in a review. */
export const storageOf = (review: string, person: string) => `desk ${review} ${person}`;

/** What was kept; what was on its way when the page closed waits to be sent again. */
export function restore(storage: string): Items {
  try {
    const kept = JSON.parse(localStorage.getItem(storage) ?? "{}") as Items;
    for (const item of Object.values(kept)) {
      if (item.state === "sending" || item.state === "paused") item.state = "waiting";
      delete item.error;
    }
    return kept;
  } catch {
    return {};
  }
}

export function keep(storage: string, items: Items) {
  try {
    if (Object.keys(items).length) localStorage.setItem(storage, JSON.stringify(items));
    else localStorage.removeItem(storage);
  } catch {
    // A browser that stores nothing still has the service's drafts.
  }
}

function waiting(where: (key: string) => boolean): number {
  let count = 0;
  for (let i = 0; i < localStorage.length; i++) {
    const key = localStorage.key(i) ?? "";
    if (key.startsWith("desk ") && where(key)) count += Object.keys(restore(key)).length;
  }
  return count;
}

/** How many answers of a person wait in this browser, in all reviews. */
export const unsent = (person: string) => waiting((key) => key.endsWith(` ${person}`));

/** How many answers wait in this browser for a review, whoever typed them. */
export const unsentIn = (review: string) => waiting((key) => key.startsWith(storageOf(review, "")));
