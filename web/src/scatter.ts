import type { Schemas } from "./api";
import type { Criterion } from "./checklist";
import { rounded } from "./numbers";

/** What needs attention in the runs of a reading, in words. */
export function scatterWords(s: Schemas["Scatter"], c: Criterion | undefined): string {
  const tolerance = c?.runs?.tolerance ?? 0.05;
  const words = [];
  if (s.unsteady)
    words.push(
      `unsteady: the runs scatter by ${rounded(100 * (s.spread ?? 0), 1)} %; the tolerance is ${rounded(100 * tolerance, 1)} %`,
    );
  if (s.outliers.length) words.push(`run ${s.outliers.map((i) => i + 1).join(", ")} is an outlier`);
  if (s.tooFew) words.push(`${s.runs} of ${c?.runs?.expect} runs`);
  return words.join("; ");
}

/** In how many starts of the machine a reading's runs were made, in words. */
export function startsWords(boots: Schemas["Boots"]): string {
  const starts = new Set(boots.map((b) => b.id)).size;
  return starts === 1
    ? "measured after a single start of the machine"
    : `measured over ${starts} starts of the machine`;
}
