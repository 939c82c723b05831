import type { Schemas } from "./api";
import { figure } from "./numbers";

export type Estimate = Schemas["Estimate"];

/** The estimates that add to a score: those on rigs that weigh something. */
export const counting = (all?: Estimate[]) => (all ?? []).filter((x) => x.weight > 0);

/** What was estimated on a rig and from how many editions. */
export function estimateText(x: Estimate, unit?: string): string {
  const from =
    x.shared === 0
      ? "by way of other rigs"
      : `from ${x.shared} ${x.shared === 1 ? "edition" : "editions"} measured on both`;
  return `estimated ${figure(x.value)}${unit ? ` ${unit}` : ""} on ${x.rig} ${from}${x.weight === 0 ? " (weight 0)" : ""}`;
}
