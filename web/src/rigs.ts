import type { Schemas } from "./api";

/** Whether a rig has what a criterion needs: a piece of equipment, its class, or that it is virtual or physical. */
export const meets = (rig: Schemas["Rig"], need: string) =>
  need === "virtual"
    ? !!rig.virtual
    : need === "physical"
      ? !rig.virtual
      : need === rig.class || !!rig.equipment?.includes(need);
