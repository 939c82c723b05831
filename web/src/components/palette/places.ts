import type { Schemas } from "../../api";

/** A page that can be gone to by its name. */
export type Place = {
  title: string;
  to: string;
  /** Other words that people would look for. */
  also?: string;
  may?: Schemas["Capability"];
};

/** The pages of the console that need no name of anything. */
export const places: Place[] = [
  { title: "Ranking", to: "/", also: "home scores" },
  { title: "Steadiness of the ranking", to: "/steadiness", also: "how steady weights varied at random sure" },
  { title: "Change the weights", to: "/weights", also: "custom weights what if" },
  { title: "For my machine", to: "/fits", also: "hardware requirements memory" },
  { title: "Compare", to: "/compare", also: "side by side" },
  { title: "Groups of editions", to: "/groups", also: "desktops against each other" },
  { title: "Edition lines", to: "/lines", also: "history over releases" },
  { title: "Records", to: "/records", also: "best values leaders" },
  { title: "Reports", to: "/reports", also: "published articles" },
  { title: "Catalogue", to: "/catalogue", also: "distributions releases editions" },
  { title: "Rigs", to: "/rigs", also: "test machines hardware" },
  { title: "Checklist", to: "/checklist", also: "questions criteria weights" },
  { title: "Audiences", to: "/checklist/audiences", also: "weights gates" },
  { title: "Checklist versions", to: "/checklist/versions", also: "difference in force" },
  { title: "Proposals", to: "/checklist/proposals", also: "changes to the checklist", may: "propose-changes" },
  { title: "Make a suggestion", to: "/suggest", also: "correction contact" },
  { title: "My work", to: "/work", also: "reviews assigned to me", may: "see-work" },
  { title: "Queue", to: "/team", also: "team next due", may: "see-work" },
  { title: "Plans", to: "/team/plans", also: "bench sessions", may: "see-work" },
  { title: "Suggestions of readers", to: "/team/suggestions", also: "accept", may: "see-work" },
  { title: "Settings of the team", to: "/team/settings", also: "policy", may: "see-work" },
  { title: "Import", to: "/team/import", also: "csv file readings bundle", may: "import-readings" },
  { title: "Data quality", to: "/data-quality", also: "surprising values", may: "see-work" },
  { title: "Known issues", to: "/known-issues", also: "known problems" },
  { title: "First steps", to: "/start", also: "set up" },
  { title: "Notices", to: "/notices", also: "waiting for me mail", may: "see-work" },
  { title: "Web hooks", to: "/team/hooks", also: "events other programs", may: "manage-hooks" },
  { title: "Not sent yet", to: "/unsent", also: "outbox drafts", may: "see-work" },
  { title: "Write a report", to: "/reports/new", may: "write-reports" },
  { title: "Add a checklist", to: "/checklist/new", may: "edit-checklist" },
];

/** The pages whose words begin with what is typed, those named by it first. */
export function placesFor(words: string, may: (what: Schemas["Capability"]) => boolean): Place[] {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  const begins = (text: string) => {
    const parts = text.toLowerCase().split(/\s+/);
    return wanted.every((w) => parts.some((p) => p.startsWith(w)));
  };
  const allowed = places.filter((p) => !p.may || may(p.may));
  if (wanted.length === 0) return allowed.slice(0, 8);
  const named = allowed.filter((p) => begins(p.title));
  return [...named, ...allowed.filter((p) => !named.includes(p) && begins(`${p.title} ${p.also ?? ""}`))].slice(0, 6);
}
