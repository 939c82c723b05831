import type { QueryClient, QueryKey } from "@tanstack/react-query";

/** A change of the records, as the service's change log has it. */
export type Announced = { number: number; sort?: string; subject?: string; action?: string; person?: string };

/**
 * What can change: the sorts of the change log, and of reviews whether anything in one changed (review),
 * its state or who does it (state), or what is published of it (figures).
 */
type Change =
  | "catalogue"
  | "rig"
  | "checklist"
  | "proposal"
  | "queue"
  | "plan"
  | "known-issue"
  | "policy"
  | "mapping"
  | "report"
  | "person"
  | "review"
  | "state"
  | "figures";

const results = ["figures", "catalogue", "rig", "checklist", "policy"] as const;

/** Everything that the console fetches, by name, with the changes that make it stale. */
const sources = {
  session: [],
  savedViews: [],
  notices: ["state", "queue", "proposal", "person"],
  mailing: [],
  hooks: [],
  deliveries: [],
  found: ["catalogue", "checklist", "report", "rig", "person", "state"],
  about: ["policy"],
  machine: [],
  passkeys: ["person"],
  signInRules: ["policy"],
  identities: ["person"],
  kinds: [],
  rule: [],
  reportParts: [],
  starter: [],

  ranking: results,
  rankingHeading: results,
  scorecard: results,
  traces: results,
  comparison: results,
  explanation: results,
  steadiness: results,
  tipping: results,
  fits: results,
  groups: results,
  line: results,
  lines: results,
  records: results,
  leaders: results,
  points: results,
  effect: [...results, "proposal"],
  quality: [...results, "review"],

  catalogue: ["catalogue"],
  editions: ["catalogue"],
  attributes: ["catalogue", "figures"],
  rigs: ["rig"],
  measurements: [],
  control: ["review"],

  checklists: ["checklist"],
  checklist: ["checklist"],
  checklistRules: ["checklist"],
  checklistToEdit: [], // the editor merges what others change
  audiences: ["checklist"],
  difference: ["checklist"],
  proposals: ["proposal"],
  proposal: ["proposal"],

  reviews: ["state"],
  publicReview: ["state"],
  // Of one review: the first value of the key is its id.
  review: ["review", "figures"],
  readings: ["review"],
  desk: ["review", "rig", "checklist"],
  reviewQuality: ["review"],
  entries: ["review"],
  openItems: ["review"],
  beside: ["state"],

  queue: ["queue", "state", "catalogue"],
  suggestions: ["queue"],
  people: ["person"],
  signedIn: ["person"],
  tokens: ["person"],
  link: [],
  audit: [],
  operations: [],
  strength: [],
  plans: ["plan"],
  plan: ["plan", "review"],
  bench: ["plan"],
  sheet: ["plan", "review"],
  issues: ["known-issue", "figures"],
  policy: ["policy"],
  mappings: ["mapping"],

  reports: ["report"],
  report: ["report"],
  reportMoved: ["report", ...results],
  reportVersions: ["report"],
  reportToEdit: [], // the editor merges what others change
  reportCheck: ["report", ...results],
} as const satisfies Record<string, readonly Change[]>;

/** The name of something that the console fetches. */
export type Source = keyof typeof sources;

/** Fetched for one review, whose id is the first value of the key. */
const ofReview: readonly Source[] = ["review", "readings", "desk", "reviewQuality", "entries", "openItems", "beside"];

/** The key of something fetched, made of its name and its parameters. */
export const sourceKey = (source: Source, ...of: unknown[]): QueryKey => [source, ...of];

/** Says that what was fetched under these names or keys is out of date; what is on the page is fetched anew. */
export const outdated = (queries: QueryClient, ...keys: (Source | QueryKey)[]) =>
  Promise.all(
    keys.map((k) => queries.invalidateQueries({ queryKey: typeof k === "string" ? sourceKey(k as Source) : k })),
  ).then(() => undefined);

/** What a change of the log is, in the terms that sources depend on. */
function changes(announced: Announced): Change[] {
  if (announced.sort !== "review") return announced.sort ? [announced.sort as Change] : [];
  const action = announced.action ?? "";
  if (/^(recorded|wrote|dropped|took back)/.test(action)) return ["review"];
  return /^(accepted|withdrawn|imported)/.test(action) || announced.subject === "*"
    ? ["review", "state", "figures"]
    : ["review", "state"];
}

/** Whether a change makes what is kept under a key stale. */
export function stale(queryKey: QueryKey, announced: Announced): boolean {
  const source = queryKey[0] as Source;
  const changed = changes(announced);
  if (
    announced.sort === "review" &&
    announced.subject !== "*" &&
    ofReview.includes(source) &&
    queryKey[1] !== announced.subject
  )
    return false;
  return (sources[source] as readonly Change[]).some((c) => changed.includes(c));
}

/** Whether what is kept under a key is published figures, which move when a review is accepted. */
export const isFigures = (queryKey: QueryKey) =>
  (sources[queryKey[0] as Source] as readonly Change[] | undefined)?.includes("figures") ?? false;
