import { direction, titleOf, type Criterion } from "./checklist";

/** What earns points, in words. */
export function ruleText(c: Criterion): string {
  const k = c.curve;
  switch (c.kind) {
    case "grade":
      return "judgement: a grade of 0 to 10";
    case "check":
      return `works 100, with a workaround ${c.workaroundPoints ?? 60}, fails 0`;
    case "count":
      return c.items?.length
        ? `how many of ${c.items.length} work: ${c.items.map(titleOf).join(", ")}`
        : "how many of a number work";
    case "level":
      return (c.levels ?? []).map((l) => `${titleOf(l)} ${l.points}`).join(", ");
    case "fact":
      return "recorded, never scored";
  }
  const runs = c.runs?.expect && c.runs.expect > 1 ? `, ${c.runs.summary ?? "median"} of ${c.runs.expect} runs` : "";
  const ends =
    k?.shape === "field"
      ? "the best of the field has 100, the others in proportion"
      : k?.shape === "steps"
        ? (k.points ?? []).map(([x, p]) => `${x} → ${p}`).join(", ")
        : `${k?.ideal} ${c.unit ?? ""} has 100, ${k?.poor} has 0${k?.shape === "ratio" ? ", by ratio" : ""}`;
  return `${direction(c)}${runs}: ${ends}`;
}
