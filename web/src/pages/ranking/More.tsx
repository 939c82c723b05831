import { useInfiniteQuery } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import type { Schemas } from "../../api";
import { pageSize, rankingKey, type Asked, type Standing } from "./entries";

/** One of the lists of a ranking beside the ranked: its first entries, and more when they are asked for. */
export function More<E>({
  data,
  asked,
  standing,
  count,
  of,
  className,
  children,
}: {
  data: Schemas["Ranking"];
  asked: Asked;
  standing: Standing;
  count: number;
  of: (ranking: Schemas["Ranking"]) => E[];
  className?: string;
  children: (entry: E) => ReactNode;
}) {
  const [open, setOpen] = useState(false);
  const rest = useInfiniteQuery({
    queryKey: rankingKey(asked.question, standing),
    enabled: open,
    initialPageParam: pageSize,
    queryFn: ({ pageParam }) => asked.fetchPage(pageParam, standing),
    getNextPageParam: (_, pages) => (pages.length + 1) * pageSize,
  });
  const shown = [...of(data), ...(rest.data?.pages.flatMap(of) ?? [])];
  return (
    <>
      <ul className={className}>{shown.map(children)}</ul>
      {rest.isError && (
        <p role="alert" className="text-accent">
          {rest.error.message}
        </p>
      )}
      {shown.length < count && (
        <button type="button" className="act mt-1" onClick={() => (open ? void rest.fetchNextPage() : setOpen(true))}>
          {Math.min(pageSize, count - shown.length)} more of {count}
        </button>
      )}
    </>
  );
}
