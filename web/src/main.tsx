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
const Queue = lazy(() => import("./pages/team/Queue"));
const Suggestions = lazy(() => import("./pages/team/Suggestions"));
const Rules = lazy(() => import("./pages/team/Rules"));
const Plans = lazy(() => import("./pages/team/Plans"));
const Plan = lazy(async () => ({ default: (await import("./pages/team/Plans")).PlanPage }));
const PlanEditor = lazy(async () => ({ default: (await import("./pages/team/Plans")).PlanEditorPage }));
const Bench = lazy(() => import("./pages/team/Bench"));
const Import = lazy(() => import("./pages/team/Import"));
const Suggest = lazy(() => import("./pages/Suggest"));
const Troubles = lazy(() => import("./pages/Troubles"));
const Rigs = lazy(() => import("./pages/catalogue/Rigs"));
const Rig = lazy(() => import("./pages/catalogue/Rig"));
const Distribution = lazy(() => import("./pages/catalogue/Distribution"));
const Release = lazy(() => import("./pages/catalogue/Release"));
const Edition = lazy(() => import("./pages/catalogue/Edition"));
const WhatIf = lazy(() => import("./pages/WhatIf"));
const HowSure = lazy(() => import("./pages/HowSure"));
const Explain = lazy(() => import("./pages/Explain"));
const Fits = lazy(() => import("./pages/Fits"));
const Groups = lazy(() => import("./pages/Groups"));
const Line = lazy(() => import("./pages/Line"));
const Lines = lazy(async () => ({ default: (await import("./pages/Line")).LinesPage }));
const Records = lazy(() => import("./pages/Records"));
const Reports = lazy(() => import("./pages/reports/Reports"));
const NewReport = lazy(() => import("./pages/reports/New"));
const ReportEditor = lazy(() => import("./pages/reports/Editor"));
const ReportHistory = lazy(() => import("./pages/reports/History"));
const ReportVersions = lazy(() => import("./pages/reports/DraftVersions"));
const SignIn = lazy(() => import("./pages/SignIn"));

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (count, error) => !(error instanceof Refusal) && count < 2,
      retryDelay: 400,
      refetchOnWindowFocus: false,
      staleTime: 5_000,
    },
  },
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
            <Route path="/what-if" element={<WhatIf />} />
            <Route path="/how-sure" element={<HowSure />} />
            <Route path="/explain" element={<Explain />} />
            <Route path="/fits" element={<Fits />} />
            <Route path="/groups" element={<Groups />} />
            <Route path="/lines" element={<Lines />} />
            <Route path="/lines/:distribution/:line" element={<Line />} />
            <Route path="/records" element={<Records />} />
            <Route path="/reports" element={<Reports />} />
            <Route path="/reports/new" element={<NewReport />} />
            <Route path="/reports/:key/edit" element={<ReportEditor />} />
            <Route path="/reports/:key/history" element={<ReportHistory />} />
            <Route path="/reports/:key/versions" element={<ReportVersions />} />
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
            <Route path="/catalogue/:distribution" element={<Distribution />} />
            <Route path="/catalogue/:distribution/:release" element={<Release />} />
            <Route path="/catalogue/:distribution/:release/:edition" element={<Edition />} />
            <Route path="/rigs" element={<Rigs />} />
            <Route path="/rigs/:rig" element={<Rig />} />
            <Route path="/troubles" element={<Troubles />} />
            <Route path="/suggest" element={<Suggest />} />
            <Route path="/team" element={<Queue />} />
            <Route path="/team/suggestions" element={<Suggestions />} />
            <Route path="/team/rules" element={<Rules />} />
            <Route path="/team/import" element={<Import />} />
            <Route path="/team/plans" element={<Plans />} />
            <Route path="/team/plans/new" element={<PlanEditor />} />
            <Route path="/team/plans/:id" element={<Plan />} />
            <Route path="/bench/:id" element={<Bench />} />
            <Route path="/sign-in" element={<SignIn />} />
            <Route path="*" element={<NotFound />} />
          </Routes>
        </Suspense>
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
