import type { Schemas } from "./api";

/** The sorts of the change log that other programs can be told of, in the order in which they are offered. */
export const changeSorts: Schemas["ChangeSort"][] = [
  "review",
  "report",
  "checklist",
  "proposal",
  "catalogue",
  "rig",
  "queue",
  "plan",
  "known-issue",
  "policy",
  "person",
];
