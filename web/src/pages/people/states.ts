import type { Schemas } from "../../api";
import { day } from "../../numbers";

/** Whether somebody can sign in, and why not. */
export function stateOf(p: Schemas["Person"]): string {
  switch (p.state) {
    case "disabled":
      return p.disabled ? `disabled since ${day(p.disabled)}` : "disabled";
    case "invited":
      return "invited";
    case "without-password":
      return "cannot sign in: no password";
    default:
      return "active";
  }
}
