import { useQuery } from "@tanstack/react-query";
import { api, take, takeWhole, type Schemas } from "./api";
import { sourceKey } from "./keys";

type Checklist = Schemas["Checklist"];
type Criterion = Schemas["Criterion"];
export type Summary = Schemas["ChecklistSummary"];
export type Audience = Schemas["ListedAudience"];

export const nameOf = (c: { key: string; version: number }) => `${c.key}@${c.version}`;

/** All versions of all checklists. */
export function useVersions() {
  return useQuery({
    queryKey: sourceKey("checklists"),
    queryFn: () => take(api.GET("/checklists", { params: { query: { limit: 1000 } } })).then((l) => l.checklists),
  });
}

/** The checklist and the version that a name, key@version, is made of. */
export const pathOf = (name: string) => {
  const [checklist, version] = name.split("@");
  return { checklist, version: Number(version) };
};

/** A version with the tag that an edit of it must name. */
export const fetchVersion = (name: string) =>
  takeWhole(api.GET("/checklists/{checklist}/{version}", { params: { path: pathOf(name) } }));

/** Each section's share of the total, 0–1, for an audience. */
export function sectionShares(list: Checklist, audience?: Audience): number[] {
  const weights = list.sections.map((s) => audience?.sections?.[s.key] ?? s.weight);
  const total = weights.reduce((sum, w) => sum + w, 0);
  return weights.map((w) => (total ? w / total : 0));
}

export const weightOf = (c: Criterion, audience?: Audience) =>
  c.kind === "fact" ? 0 : (audience?.criteria?.[c.key] ?? c.weight ?? 0);

/** Each criterion's share of the total, 0–1, for an audience. */
export function criterionShares(list: Checklist, audience?: Audience): Map<string, number> {
  const shares = new Map<string, number>();
  const sections = sectionShares(list, audience);
  list.sections.forEach((s, i) => {
    const within = s.criteria.reduce((sum, c) => sum + weightOf(c, audience), 0);
    for (const c of s.criteria)
      if (c.kind !== "fact") shares.set(c.key, within ? (sections[i] * weightOf(c, audience)) / within : 0);
  });
  return shares;
}
