import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "../../api";
import { everything } from "../../lists";
import { sourceKey } from "../../keys";

export type Distribution = Schemas["Distribution"];
export type Release = Schemas["Release"];
export type Edition = Schemas["Edition"];

export const editionKey = (e: Edition) => `${e.distribution}/${e.release}/${e.key}`;
export const editionLabel = (e: Edition) =>
  [e.desktop || e.key, e.purpose, e.profile === "minimal" ? "minimal" : ""].filter(Boolean).join(" ");
export const lineOf = (e: Edition) => e.line || e.key;

/** The whole catalogue, and which editions have an accepted review. */
export function useCatalogue() {
  return useQuery({
    queryKey: sourceKey("catalogue"),
    queryFn: async () => {
      const query = { limit: 1000 };
      const [distributions, releases, editions, reviews] = await Promise.all([
        everything(async (cursor) =>
          take(api.GET("/distributions", { params: { query: { ...query, cursor } } })).then((l) => ({
            next: l.next,
            items: l.distributions,
          })),
        ),
        everything(async (cursor) =>
          take(api.GET("/releases", { params: { query: { ...query, cursor } } })).then((l) => ({
            next: l.next,
            items: l.releases,
          })),
        ),
        everything(async (cursor) =>
          take(api.GET("/editions", { params: { query: { ...query, cursor } } })).then((l) => ({
            next: l.next,
            items: l.editions,
          })),
        ),
        everything(async (cursor) =>
          take(api.GET("/reviews", { params: { query: { ...query, cursor } } })).then((l) => ({
            next: l.next,
            items: l.reviews,
          })),
        ),
      ]);
      return {
        distributions,
        releases,
        editions,
        reviews,
        reviewed: new Set(reviews.filter((x) => x.accepted && x.state !== "withdrawn").map((x) => x.edition)),
      };
    },
  });
}

export type Catalogue = NonNullable<ReturnType<typeof useCatalogue>["data"]>;

/** What the editions of the catalogue have for an attribute, alphabetically. */
export function valuesOf(all: Catalogue, attribute: string): string[] {
  const of: Record<string, (string | undefined)[]> = {
    family: all.distributions.flatMap((d) => d.family ?? []),
    base: all.distributions.flatMap((d) => d.family ?? []),
    model: all.distributions.map((d) => d.model as string),
    tier: all.releases.map((r) => r.tier as string),
    desktop: all.editions.map((e) => e.desktop),
    purpose: all.editions.map((e) => e.purpose),
    profile: all.editions.map((e) => e.profile),
    architecture: all.editions.map((e) => e.architecture),
  };
  return [...new Set((of[attribute] ?? []).filter((v): v is string => !!v))].sort();
}

type Sort = Schemas["CatalogueSort"];

/** Gives something in the catalogue another key, or merges it into another one. */
export function useRearranging() {
  const queries = useQueryClient();
  const onSuccess = () => void queries.invalidateQueries();
  return {
    rename: useMutation({
      mutationFn: (body: { sort: Sort; key: string; to: string }) => take(api.POST("/renamed", { body })),
      onSuccess,
    }),
    merge: useMutation({
      mutationFn: (body: { sort: Sort; key: string; into: string; trial?: boolean }) =>
        take(api.POST("/merged", { body })),
      onSuccess: (_, body) => (body.trial ? undefined : onSuccess()),
    }),
  };
}
