import type { Schemas } from "../../api";

/** What each sort of thing that can be found is called. */
export const sortTitles: Record<Schemas["FoundSort"], string> = {
  edition: "Edition",
  distribution: "Distribution",
  criterion: "Criterion",
  rig: "Rig",
  report: "Report",
  review: "Review",
  person: "Person",
};

/** All of them. */
export const everySort = Object.keys(sortTitles) as Schemas["FoundSort"][];
