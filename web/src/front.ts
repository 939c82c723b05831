import type { QueryClient } from "@tanstack/react-query";
import type { Schemas } from "./api";
import { rankingKey } from "./pages/ranking/entries";

/** Takes over the ranking that the service has written into the front page, so that nothing is fetched for it. */
export function takeFront(queries: QueryClient) {
  const text = document.getElementById("ranking-data")?.textContent;
  if (!text || location.pathname !== "/" || location.search) return;
  queries.setQueryData(rankingKey({ ranked: {} }, 0), JSON.parse(text) as Schemas["Ranking"]);
}
