import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "./api";
import type { Criterion } from "./checklist";
import { pathOf } from "./checklists";
import { sourceKey } from "./keys";

export type Rule = Schemas["Rule"];

/** How answers to each criterion of a version become points, by the criterion's key. */
export function useRules(name: string | undefined): Map<string, Rule> {
  const rules = useQuery({
    queryKey: sourceKey("checklistRules", name),
    enabled: !!name,
    staleTime: 300_000,
    queryFn: () => take(api.GET("/checklists/{checklist}/{version}/rules", { params: { path: pathOf(name ?? "") } })),
  });
  return new Map((rules.data?.rules ?? []).map((r) => [r.criterion, r]));
}

/** The rule of a criterion that somebody is writing; the last one that was whole, while it is not. */
export function useRule(c: Criterion): Rule | undefined {
  return useQuery({
    queryKey: sourceKey("rule", c),
    staleTime: Infinity,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () => take(api.POST("/rules", { body: c })),
  }).data;
}

/** The kinds of criterion and the shapes of curves. */
export function useKinds(): Schemas["KindList"] {
  const all = useQuery({ queryKey: sourceKey("kinds"), staleTime: Infinity, queryFn: () => take(api.GET("/kinds")) });
  return all.data ?? { kinds: [], shapes: [] };
}

/** The points of a number, read off a rule's line; best is the best of the field. */
export function pointsOf(rule: Rule, x: number, best = 1): number | undefined {
  const line = rule.line;
  const at = rule.relative ? x / best : x;
  if (line.length === 0 || !Number.isFinite(at)) return undefined;
  if (at <= line[0][0]) return line[0][1];
  const i = line.findIndex(([end]) => at <= end);
  if (i < 0) return line.at(-1)![1];
  const [[x0, p0], [x1, p1]] = [line[i - 1], line[i]];
  return p0 + ((at - x0) / (x1 - x0)) * (p1 - p0);
}
