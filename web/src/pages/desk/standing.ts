import { findCriterion, type Checklist, type Reading } from "../../checklist";
import type { Context, Place } from "../../unsent/answers";

const parts = ["method", "setup", "phase"] as const;

export const sameContext = (a: Context | undefined, b: Context | undefined) =>
  parts.every((part) => (a?.[part] ?? "") === (b?.[part] ?? ""));

/** Whether a reading was made in the context that its criterion asks for. Others are kept and never score. */
export const inContext = (r: Reading, asked: Context | undefined) =>
  parts.every((part) => !asked?.[part] || asked[part] === r.context?.[part]);

/** The current reading of a person at a place: the latest one that no other replaces. */
export const mine = (readings: Reading[], person: string, place: Place, list: Checklist | undefined) =>
  standing(readings, place, findCriterion(list, place.criterion)?.context).findLast((r) => r.reviewer === person);

/** The current readings at a place, in the context asked for or the place's own, by time. */
export function standing(readings: Reading[], place: Place, asked: Context | undefined): Reading[] {
  const replaced = new Set(readings.map((r) => r.replaces).filter(Boolean));
  const fits = (r: Reading) => (place.context ? sameContext(r.context, place.context) : inContext(r, asked));
  return readings.filter(
    (r) => r.criterion === place.criterion && (r.rig ?? "") === place.rig && !replaced.has(r.id) && fits(r),
  );
}
