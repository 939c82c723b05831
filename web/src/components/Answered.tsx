import type { UseQueryResult } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { failed } from "../failed";
import { Failure, Loading } from "./States";

type Data<Q> = { [I in keyof Q]: Q[I] extends UseQueryResult<infer T> ? T : never };

/**
 * Draws what several queries answer, once all of them have: until then that they are fetched, or why one of them
 * failed and what helps, or none where a query has nothing to ask for yet.
 */
export function Answered<Q extends readonly UseQueryResult<unknown>[]>({
  of,
  what,
  none,
  children,
}: {
  of: readonly [...Q];
  what: string;
  none: ReactNode;
  children: (...data: Data<Q>) => ReactNode;
}) {
  const failing = of.find(failed);
  if (failing) return <Failure error={failing.error} again={() => void failing.refetch()} />;
  // A query that asks for nothing stays pending without being fetched.
  if (of.some((q) => q.isLoading)) return <Loading what={what} />;
  if (of.some((q) => q.data === undefined)) return none;
  return children(...(of.map((q) => q.data) as Data<Q>));
}
