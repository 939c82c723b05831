import type { Query, QueryClient } from "@tanstack/react-query";
import type { Schemas } from "./api";
import { rankingKey } from "./pages/ranking/entries";

/** Takes over the ranking that the service has written into the front page, so that nothing is fetched for it. */
export function takeFront(queries: QueryClient) {
  const text = document.getElementById("ranking-data")?.textContent;
  if (!text || location.pathname !== "/" || location.search) return;
  withPage = Date.now();
  queries.setQueryData(rankingKey({ ranked: {} }, 0), JSON.parse(text) as Schemas["Ranking"], { updatedAt: withPage });
}

let withPage = 0;

/** Whether a query's data came with the page or was saved by an earlier page, and was not fetched since. */
export const notFetchedYet = ({ state: { dataUpdatedAt: at } }: Query) =>
  at > 0 && (at <= performance.timeOrigin || at === withPage);
