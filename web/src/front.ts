import type { Query, QueryClient } from "@tanstack/react-query";
import type { Schemas } from "./api";
import { rankingKey } from "./pages/ranking/entries";

/** Takes over the ranking that the service has written into the front page, so that nothing is fetched for it. */
export function takeFront(queries: QueryClient) {
  const text = document.getElementById("ranking-data")?.textContent;
  if (!text || location.pathname !== "/" || location.search) return;
  queries.setQueryData(rankingKey({ ranked: {} }, 0), JSON.parse(text) as Schemas["Ranking"], { updatedAt: withPage });
}

// When what came with the page is taken to have been fetched.
const withPage = performance.timeOrigin;

/** Whether a query's data came with the page and was not fetched since. */
export const cameWithPage = (q: Query) => q.state.dataUpdatedAt === withPage;
