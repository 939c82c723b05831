import { createBrowserRouter, useLoaderData, type RouteObject } from "react-router";
import { desk, fetchPage, unsent, work, type Page } from "./chunks";
import { Layout } from "./components/Layout";
import { Loading } from "./components/States";
import { Frame } from "./components/Frame";
import { ConsoleFailed, PageFailed } from "./pages/Failed";
import RankingPage from "./pages/Ranking";

/** The page whose code the route has fetched. */
function Fetched() {
  const { default: Component } = useLoaderData<Page>();
  return <Component />;
}

/** A route whose page is fetched when somebody goes there; until it is there, the page before stays. */
function page(path: string, load: () => Promise<Page>): RouteObject {
  let missing = false;
  return {
    path,
    loader: async ({ request }) => {
      missing = true;
      const fetched = await fetchPage(load, request.url);
      missing = false;
      return fetched;
    },
    shouldRevalidate: () => missing,
    Component: Fetched,
    ErrorBoundary: PageFailed,
  };
}

const pages: RouteObject[] = [
  { index: true, Component: RankingPage, ErrorBoundary: PageFailed },
  page("edition/:distribution/:release/:edition", () => import("./pages/Scorecard")),
  page("compare", () => import("./pages/Compare")),
  page("weights", () => import("./pages/Weights")),
  page("steadiness", () => import("./pages/Steadiness")),
  page("explain", () => import("./pages/Explain")),
  page("fits", () => import("./pages/Fits")),
  page("groups", () => import("./pages/Groups")),
  page("lines", async () => ({ default: (await import("./pages/Line")).LinesPage })),
  page("lines/:distribution/:line", () => import("./pages/Line")),
  page("records", () => import("./pages/Records")),
  page("reports", () => import("./pages/reports/Reports")),
  page("reports/new", () => import("./pages/reports/New")),
  page("reports/:key/edit", () => import("./pages/reports/Editor")),
  page("reports/:key/history", () => import("./pages/reports/History")),
  page("reports/:key/versions", () => import("./pages/reports/DraftVersions")),
  page("catalogue", () => import("./pages/Catalogue")),
  page("catalogue/:distribution", () => import("./pages/catalogue/Distribution")),
  page("catalogue/:distribution/:release", () => import("./pages/catalogue/Release")),
  page("catalogue/:distribution/:release/:edition", () => import("./pages/catalogue/Edition")),
  page("checklist", () => import("./pages/checklist/Questions")),
  page("checklist/audiences", () => import("./pages/checklist/Audiences")),
  page("checklist/new", () => import("./pages/checklist/New")),
  page("checklist/versions", () => import("./pages/checklist/Versions")),
  page("checklist/proposals", () => import("./pages/checklist/Proposals")),
  page("checklist/proposals/:id", () => import("./pages/checklist/Proposal")),
  page("checklist/edit/:name", () => import("./pages/checklist/Editor")),
  page("checklist/propose/:name", async () => ({ default: (await import("./pages/checklist/Editor")).Proposing })),
  page("data-quality", () => import("./pages/DataQuality")),
  page("work", work),
  page("start", () => import("./pages/Start")),
  page("unsent", unsent),
  page("notices", () => import("./pages/Notices")),
  page("desk/:id", desk),
  page("rigs", () => import("./pages/catalogue/Rigs")),
  page("rigs/:rig", () => import("./pages/catalogue/Rig")),
  page("known-issues", () => import("./pages/KnownIssues")),
  page("suggest", () => import("./pages/Suggest")),
  page("team", () => import("./pages/team/Queue")),
  page("team/suggestions", () => import("./pages/team/Suggestions")),
  page("team/settings", () => import("./pages/team/Settings")),
  page("team/hooks", () => import("./pages/team/Hooks")),
  page("team/people", () => import("./pages/people/People")),
  page("team/people/:person", () => import("./pages/people/Person")),
  page("team/audit", () => import("./pages/team/Audit")),
  page("team/operations", () => import("./pages/team/Operations")),
  page("team/import", () => import("./pages/team/Import")),
  page("team/plans", () => import("./pages/team/Plans")),
  page("team/plans/new", async () => ({ default: (await import("./pages/team/Plans")).PlanEditorPage })),
  page("team/plans/:id", async () => ({ default: (await import("./pages/team/Plans")).PlanPage })),
  page("bench/:id", () => import("./pages/team/Bench")),
  page("account", () => import("./pages/people/Account")),
  page("welcome", () => import("./pages/people/Welcome")),
  page("recording", () => import("./pages/recording/Recording")),
  page("client", () => import("./pages/Client")),
  page("machine", () => import("./pages/people/Machine")),
  page("set-up", () => import("./pages/people/SetUp")),
  page("sign-in", () => import("./pages/SignIn")),
  page("*", () => import("./pages/NotFound")),
];

const Fetching = () => (
  <Frame title="Loading">
    <Loading what="the page" />
  </Frame>
);

export const router = createBrowserRouter([
  {
    Component: Layout,
    ErrorBoundary: ConsoleFailed,
    children: pages.map((p) => ({ ...p, HydrateFallback: Fetching }) as RouteObject),
  },
]);
