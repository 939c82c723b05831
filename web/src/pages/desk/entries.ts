import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "../../api";
import { outdated, sourceKey } from "../../keys";
import { removeSoon, useRemovals } from "../../removals";

export type Entry = Schemas["Entry"];
export type EntryView = Schemas["EntryView"];
export type Part = keyof Entry;

/** A review's record: states, findings and all that is not scored. */
export function useEntries(review: string) {
  return useQuery({
    queryKey: sourceKey("entries", review),
    queryFn: async () => (await take(api.GET("/reviews/{id}/entries", { params: { path: { id: review } } }))).entries,
  });
}

/** The entries of one part, by time. */
export function of<P extends Part>(entries: EntryView[] | undefined, part: P): NonNullable<Entry[P]>[] {
  const found = (entries ?? []).flatMap((e) => (e.entry[part] ? [e.entry[part]] : [])) as NonNullable<Entry[P]>[];
  return found.sort((a, b) => ((a as { at?: string }).at ?? "").localeCompare((b as { at?: string }).at ?? ""));
}

/** The key of the next system state: s1, s2, … */
export function nextState(states: { id: string }[]): string {
  let n = states.length + 1;
  while (states.some((s) => s.id === `s${n}`)) n++;
  return `s${n}`;
}

/** Writes an entry; revision is 0 for a new one. */
export function useWriting(review: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ id, entry, revision }: { id: string; entry: Entry; revision: number }) =>
      take(
        api.PUT("/reviews/{id}/entries/{entry}", {
          params: { path: { id: review, entry: id }, header: revision ? { "If-Match": String(revision) } : {} },
          body: entry,
        }),
      ),
    onSettled: async () => {
      await outdated(queries, sourceKey("entries", review));
      void outdated(queries, sourceKey("beside", review));
      void outdated(queries, sourceKey("openItems", review));
      void outdated(queries, sourceKey("review", review));
    },
  });
}

/** What removes an entry, named by words, once the time to undo it is over; and the entries that are not removed. */
export function useRemoving(review: string) {
  const queries = useQueryClient();
  const removed = new Set(useRemovals().map((r) => r.key));
  return {
    remaining: (e: { id: string }) => !removed.has(`${review} ${e.id}`),
    remove: (id: string, revision: number, words: string) =>
      removeSoon(`${review} ${id}`, words, async () => {
        await take(
          api.DELETE("/reviews/{id}/entries/{entry}", {
            params: { path: { id: review, entry: id }, header: { "If-Match": String(revision) } },
            keepalive: true,
          }),
        );
        await outdated(queries, sourceKey("entries", review), sourceKey("openItems", review));
      }),
  };
}

/** What is shown beside the entry fields: the release before, the records, findings to follow up. */
export function useBeside(review: string) {
  return useQuery({
    queryKey: sourceKey("beside", review),
    queryFn: () => take(api.GET("/reviews/{id}/beside", { params: { path: { id: review } } })),
    staleTime: 60_000,
  });
}
