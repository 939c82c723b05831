import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { RouterProvider } from "react-router";
import { Refusal } from "./api";
import "./app.css";
import { personKey } from "./build";
import { takeFront } from "./front";
import { router } from "./routes";

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (count, error) => !(error instanceof Refusal) && count < 2,
      retryDelay: 400,
      refetchOnWindowFocus: false,
      // Without a network a page says so at once, and fetches when it is back.
      networkMode: "always",
      refetchOnReconnect: true,
      // Results are handed on to other components, which would miss a change that is not named here.
      notifyOnChangeProps: ["data", "error", "status", "isLoading", "isPlaceholderData"],
      staleTime: 5_000,
    },
    mutations: { networkMode: "always" },
  },
});

takeFront(queries);

/** What this browser knows of somebody who has signed in is there before the first page is drawn. */
const known = localStorage.getItem(personKey) ? import("./known").then((k) => k.recall(queries)) : Promise.resolve();

void known.finally(() =>
  createRoot(document.getElementById("root")!).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <RouterProvider router={router} />
      </QueryClientProvider>
    </StrictMode>,
  ),
);
