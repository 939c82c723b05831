import type { Schemas } from "../../api";
import type { Checklist } from "../../checklist";
import { same } from "../../merge";

/** The edits that lead from one list to another: criteria set and dropped, weights of sections changed. */
export function editsBetween(from: Checklist, to: Checklist): Schemas["ChecklistEdit"][] {
  const edits: Schemas["ChecklistEdit"][] = [];
  const before = new Map(
    from.sections.flatMap((s) => s.criteria.map((c) => [c.key, { section: s.key, criterion: c }])),
  );
  const after = new Set<string>();
  for (const s of to.sections) {
    const old = from.sections.find((o) => o.key === s.key);
    if (old && old.weight !== s.weight) edits.push({ section: s.key, weight: s.weight });
    for (const c of s.criteria) {
      after.add(c.key);
      const was = before.get(c.key);
      if (!was || was.section !== s.key || !same(was.criterion, c)) edits.push({ section: s.key, criterion: c });
    }
  }
  for (const key of before.keys()) if (!after.has(key)) edits.push({ drop: key });
  return edits;
}
