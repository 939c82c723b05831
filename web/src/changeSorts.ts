import type { Schemas } from "./api";

/** The sorts of the change log that web hooks can send, in the order of the choices. */
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
