import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode, Suspense, lazy } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";
import { Refusal } from "./api";
import "./app.css";
import { Frame } from "./components/Frame";
import { Empty, Loading } from "./components/States";
import { RankingPage } from "./pages/Ranking";

const Scorecard = lazy(() => import("./pages/Scorecard"));
const Compare = lazy(() => import("./pages/Compare"));
const Catalogue = lazy(() => import("./pages/Catalogue"));
const Questions = lazy(() => import("./pages/checklist/Questions"));
const Audiences = lazy(() => import("./pages/checklist/Audiences"));
const Versions = lazy(() => import("./pages/checklist/Versions"));
const Proposals = lazy(() => import("./pages/checklist/Proposals"));
const Proposal = lazy(() => import("./pages/checklist/Proposal"));
const Editor = lazy(() => import("./pages/checklist/Editor"));
const LookInto = lazy(() => import("./pages/LookInto"));
const Work = lazy(() => import("./pages/Work"));
const Desk = lazy(() => import("./pages/desk/Desk"));
const SignIn = lazy(() => import("./pages/SignIn"));

const queries = new QueryClient({
  defaultOptions: { queries: { retry: (count, error) => !(error instanceof Refusal) && count < 2, retryDelay: 400, refetchOnWindowFocus: false, staleTime: 5_000 } },
});

function NotFound() {
  return (
    <Frame title="Not found">
      <Empty>
        <h1 className="mb-2 text-ink">There is no such page</h1>
        The address may be mistyped, or what it named was renamed.
      </Empty>
    </Frame>
  );
}

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <Suspense
          fallback={
            <Frame title="Fetching">
              <Loading what="the page" />
            </Frame>
          }
        >
          <Routes>
            <Route path="/" element={<RankingPage />} />
            <Route path="/edition/:distribution/:release/:edition" element={<Scorecard />} />
            <Route path="/compare" element={<Compare />} />
            <Route path="/catalogue" element={<Catalogue />} />
            <Route path="/checklist" element={<Questions />} />
            <Route path="/checklist/audiences" element={<Audiences />} />
            <Route path="/checklist/versions" element={<Versions />} />
            <Route path="/checklist/proposals" element={<Proposals />} />
            <Route path="/checklist/proposals/:id" element={<Proposal />} />
            <Route path="/checklist/edit/:name" element={<Editor proposing={false} />} />
            <Route path="/checklist/propose/:name" element={<Editor proposing />} />
            <Route path="/look-into" element={<LookInto />} />
            <Route path="/work" element={<Work />} />
            <Route path="/desk/:id" element={<Desk />} />
            <Route path="/sign-in" element={<SignIn />} />
            <Route path="*" element={<NotFound />} />
          </Routes>
        </Suspense>
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
