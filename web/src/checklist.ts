import { useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "./api";
import { pathOf } from "./checklists";
import { sourceKey } from "./keys";

export type Checklist = Schemas["Checklist"];
export type Criterion = Schemas["Criterion"];
export type Answer = Schemas["Answer"];
export type Reading = Schemas["Reading"];

/** The checklist that a name, key@version, means. */
export function useChecklist(name: string | undefined) {
  return useQuery({
    queryKey: sourceKey("checklist", name),
    enabled: !!name,
    staleTime: 300_000,
    queryFn: () => take(api.GET("/checklists/{checklist}/{version}", { params: { path: pathOf(name ?? "") } })),
  });
}

export const titleOf = (c: { key: string; title?: string }) => c.title || c.key;

export function findCriterion(list: Checklist | undefined, key: string): Criterion | undefined {
  return list?.sections.flatMap((s) => s.criteria).find((c) => c.key === key);
}

/** What a criterion is called, by its key; the key itself where the list has none such. */
export const titleIn = (list: Checklist | undefined, key: string) => titleOf(findCriterion(list, key) ?? { key });

/** An answer as a person reads it. */
export function answerText(a: Answer, c?: Criterion): string {
  if (a.notTested) return `not tested: ${a.notTested}`;
  if (a.notApplicable) return `not applicable: ${a.notApplicable}`;
  if (a.grade != null) return `${a.grade} of 10`;
  if (a.check) return a.check;
  if (a.level) return c?.levels?.find((l) => l.key === a.level)?.title ?? a.level;
  if (a.runs) return `${a.runs.join(" · ")}${c?.unit ? ` ${c.unit}` : ""}`;
  if (a.fact != null) return Array.isArray(a.fact) ? a.fact.join(", ") : String(a.fact);
  const n = a.count;
  if (n?.n != null) return `${n.k} of ${n.n}`;
  if (n)
    return [
      `${n.worked?.length ?? 0} worked`,
      n.workaround?.length && `${n.workaround.length} with a workaround`,
      n.failed?.length && `${n.failed.length} failed`,
    ]
      .filter(Boolean)
      .join(", ");
  return "";
}

/** What a criterion asks its readings to be made by and in. */
export const contextText = (c: Criterion, list: Checklist) => contextWords(c.context, list);

/** A context in the words of the checklist's vocabulary. */
export function contextWords(context: Criterion["context"], list: Checklist): string {
  const name = (of: Schemas["Named"][] | undefined, key: string | undefined) =>
    of?.find((n) => n.key === key)?.title || key;
  const v = list.vocabulary;
  return [name(v?.methods, context?.method), name(v?.setups, context?.setup), name(v?.phases, context?.phase)]
    .filter(Boolean)
    .join(" · ");
}

export const direction = (c: Criterion) => (c.better ? `${c.better} is better` : "");

/** That a grade was changed after the others' could be seen, in a few words. */
export const changedWords = (c: Schemas["ChangedGrade"]) =>
  `changed from ${c.from} after the grade of ${c.seen.join(", ")} could be seen`;
