import { useQueries } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import type { Schemas } from "../../api";
import { sourceKey } from "../../keys";
import type { Entry } from "./Rows";

/** How many entries are fetched at once. */
export const pageSize = 100;

/** Entries of a ranking, some of which may still be on their way. */
export type Entries = {
  count: number;
  at: (i: number) => Entry | undefined;
  /** Says which are in view, so that those are fetched. */
  seen?: (rows: number[]) => void;
};

/** The parameters of a ranking, and how its entries are fetched, optionally of one list only. */
export type Asked = {
  question: RankingQuestion;
  fetchPage: (offset: number, standing?: Standing) => Promise<Schemas["Ranking"]>;
};

export type Standing = "ranked" | "provisional" | "barred" | "elsewhere";

/** What a ranking is asked with by the page of it. */
export type RankingQuestion = {
  ranked: object;
  section?: string;
  criterion?: string;
  since?: string;
  find?: string;
};

const questionKey = (q: RankingQuestion) => [q.ranked, q.section, q.criterion, q.since, q.find];

/** The key of a page of a ranking. */
export const rankingKey = (q: RankingQuestion, page: number | Standing) =>
  sourceKey("ranking", ...questionKey(q), page);

export const allOf = (entries: Entry[]): Entries => ({ count: entries.length, at: (i) => entries[i] });

/** The ranked entries of a view: the first page is there, the others are fetched as they come into view. */
export function useEntries(first: Schemas["Ranking"], asked: Asked): Entries {
  const [pages, setPages] = useState<number[]>([]);
  const others = useQueries({
    queries: pages.map((page) => ({
      queryKey: rankingKey(asked.question, page),
      queryFn: () => asked.fetchPage(page * pageSize, "ranked"),
    })),
  });
  const seen = useCallback((rows: number[]) => {
    const now = [...new Set(rows.map((i) => Math.floor(i / pageSize)))].filter((page) => page > 0);
    setPages((old) => (old.length === now.length && now.every((page, i) => page === old[i]) ? old : now));
  }, []);
  return {
    count: first.counts.ranked,
    at: (i) => {
      const page = Math.floor(i / pageSize);
      return (page === 0 ? first : others[pages.indexOf(page)]?.data)?.ranking[i % pageSize];
    },
    seen,
  };
}
