import { dehydrate, hydrate, type QueryClient } from "@tanstack/react-query";
import { build, personKey } from "./build";
import { loadDrafts } from "./drafts";
import type { Source } from "./keys";
import { local } from "./local";
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

/** Brings back what this browser knows of somebody who has signed in, before the first page is drawn. */
export async function recall(queries: QueryClient) {
  const person = localStorage.getItem(personKey);
  if (!person) return;
  const known = await (await local())?.get("known", person);
  if (known?.build === build) hydrate(queries, known.state);
  await Promise.all([loadAnswers(), loadDrafts()]);
}

/** Keeps what a person fetches, as it comes. Answers with a function that ends it. */
export function remember(person: string, queries: QueryClient): () => void {
  localStorage.setItem(personKey, person);
  let timer: ReturnType<typeof setTimeout> | undefined;
  const write = async () => {
    timer = undefined;
    const state = dehydrate(queries, {
      shouldDehydrateQuery: (q) => q.state.status === "success" && kept.includes(q.queryKey[0] as Source),
      shouldDehydrateMutation: () => false,
    });
    await (await local())?.put("known", { build, state }, person);
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
