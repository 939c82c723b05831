import { Refusal } from "./api";

type Result = { isError: boolean; error: Error | null; data: unknown };

/** Refusals after which what was fetched before must not stay in view: it is forbidden, or gone. */
const final = [403, 404, 410];

/**
 * Whether a query has nothing to show but its error. What was fetched before stays in view while the service cannot be
 * reached.
 */
export function failed<Q extends Result>(q: Q): q is Extract<Q, { isError: true }> {
  return q.isError && (q.data === undefined || (q.error instanceof Refusal && final.includes(q.error.problem.status)));
}
