import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "./api";
import { sourceKey } from "./keys";

// The most that the service gives at once.
const limit = 1000;

/** All entries of a list, page after page. */
export async function everything<T>(fetchPage: (cursor?: string) => Promise<{ next?: string; items: T[] }>) {
  const all: T[] = [];
  for (let cursor: string | undefined; ; ) {
    const page = await fetchPage(cursor);
    all.push(...page.items);
    if (!page.next) return all;
    cursor = page.next;
  }
}

/** Every test machine, by key. */
export function useRigs() {
  return useQuery({
    queryKey: sourceKey("rigs"),
    queryFn: () =>
      everything((cursor) =>
        take(api.GET("/rigs", { params: { query: { limit, cursor } } })).then((l) => ({ next: l.next, items: l.rigs })),
      ),
    staleTime: 60_000,
  });
}

/** Everybody with an account; for those who see the work. */
export function usePeople() {
  return useQuery({
    queryKey: sourceKey("people"),
    queryFn: () =>
      everything((cursor) =>
        take(api.GET("/people", { params: { query: { limit, cursor } } })).then((l) => ({
          next: l.next,
          items: l.people,
        })),
      ),
  });
}

/** The reviews that are being worked on: planned, underway or submitted. */
export const openStates: Schemas["ReviewState"][] = ["planned", "underway", "submitted"];

/** All reviews in one of these states, by edition. */
export function useReviews(state: Schemas["ReviewState"][], enabled = true) {
  return useQuery({
    queryKey: sourceKey("reviews", ...state),
    enabled,
    queryFn: () =>
      everything((cursor) =>
        take(api.GET("/reviews", { params: { query: { limit, cursor, state } } })).then((l) => ({
          next: l.next,
          items: l.reviews,
        })),
      ),
  });
}

/** Accepted reviews by edition, a page at a time. */
export function useAcceptedReviews(enabled: boolean) {
  return useInfiniteQuery({
    queryKey: sourceKey("reviews", "accepted in pages"),
    enabled,
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam: cursor }) =>
      take(api.GET("/reviews", { params: { query: { limit: 100, cursor, state: ["accepted"] } } })),
    getNextPageParam: (page) => page.next || undefined,
  });
}

/** What the editions of the catalogue have for each attribute, alphabetically. */
export function useAttributes() {
  return useQuery({
    queryKey: sourceKey("attributes"),
    queryFn: () =>
      take(api.GET("/attributes")).then((l) => new Map(l.attributes.map((a) => [a.key, a.values] as const))),
    staleTime: 60_000,
  });
}

export type Attributes = NonNullable<ReturnType<typeof useAttributes>["data"]>;

/** The values of an attribute. */
export const valuesOf = (all: Attributes, attribute: string) => (all.get(attribute) ?? []).map((v) => v.value);
