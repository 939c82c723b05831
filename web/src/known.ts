import { dehydrate, hydrate, type DehydratedState, type QueryClient } from "@tanstack/react-query";
import { build, personKey } from "./build";
import { loadDrafts } from "./drafts";
import { sourceKey, type Source } from "./keys";
import { local } from "./local";
import type { Session } from "./session";
import { loadAnswers } from "./unsent/answers";

/** What is kept of what was fetched, so that the desk opens without a network. */
const kept: readonly Source[] = [
  "session",
  "about",
  "kinds",
  "reviews",
  "queue",
  "review",
  "readings",
  "desk",
  "rigs",
  "checklists",
  "checklist",
  "checklistRules",
  "entries",
  "beside",
  "issues",
];

const writeAfter = 1000;

/** How long something is kept that was not fetched again, in milliseconds, and how many answers at most. */
const keptFor = 14 * 24 * 3600_000;
const mostKept = 240;

/**
 * What to keep: all that was fetched, also where asking again failed, and what was kept before, by other tabs too. Of
 * the same query, what was fetched later.
 */
export function toKeep(queries: QueryClient, before: DehydratedState | undefined, now: number): DehydratedState {
  const fetched = dehydrate(queries, {
    shouldDehydrateQuery: (q) => q.state.data !== undefined && kept.includes(q.queryKey[0] as Source),
    shouldDehydrateMutation: () => false,
  }).queries.map((q) => ({
    ...q,
    state: { ...q.state, status: "success" as const, fetchStatus: "idle" as const, error: null },
  }));
  const all = new Map((before?.queries ?? []).map((q) => [q.queryHash, q]));
  for (const q of fetched)
    if ((all.get(q.queryHash)?.state.dataUpdatedAt ?? 0) <= q.state.dataUpdatedAt) all.set(q.queryHash, q);
  const newest = [...all.values()].sort((a, b) => b.state.dataUpdatedAt - a.state.dataUpdatedAt);
  return { mutations: [], queries: newest.slice(0, mostKept).filter((q) => now - q.state.dataUpdatedAt < keptFor) };
}

/** Brings back what this browser knows of somebody who has signed in, before the first page is drawn. */
export async function recall(queries: QueryClient) {
  const person = localStorage.getItem(personKey);
  if (!person) return;
  const known = await (await local())?.get("known", person);
  if (known?.build === build) hydrate(queries, known.state);
  // Who is signed in may have changed since.
  void queries.invalidateQueries({ queryKey: sourceKey("session"), refetchType: "none" });
  await Promise.all([loadAnswers(), loadDrafts()]);
}

/** Keeps what a person fetches, as it comes. Answers with a function that ends it. */
export function remember(person: string, queries: QueryClient): () => void {
  localStorage.setItem(personKey, person);
  let timer: ReturnType<typeof setTimeout> | undefined;
  const write = async () => {
    timer = undefined;
    const writing = (await local())?.transaction("known", "readwrite");
    const before = await writing?.store.get(person);
    // Whoever signed out in the meantime keeps nothing, and what another fetches is not theirs.
    if (queries.getQueryData<Session>(sourceKey("session"))?.person?.name !== person) return;
    const state = toKeep(queries, before?.build === build ? before.state : undefined, Date.now());
    await writing?.store.put({ build, state }, person);
  };
  timer = setTimeout(() => void write(), writeAfter); // what came before
  const end = queries.getQueryCache().subscribe(({ type, query }) => {
    if (type === "updated" && kept.includes(query.queryKey[0] as Source))
      timer ??= setTimeout(() => void write(), writeAfter);
  });
  return () => {
    end();
    clearTimeout(timer);
  };
}

/** Forgets what was fetched for a person. */
export async function forget(person: string) {
  localStorage.removeItem(personKey);
  await (await local())?.delete("known", person);
}
