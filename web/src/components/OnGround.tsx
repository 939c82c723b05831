import type { Schemas } from "../api";

/** On what several versions of a checklist meet, where editions of earlier ones have joined. */
export function OnGround({ heading }: { heading: Schemas["Heading"] }) {
  if (!heading.ground?.length) return null;
  return (
    <strong className="font-medium text-ink">
      {" "}
      · on common ground: the {heading.groundCriteria} of {heading.groundOf} criteria that{" "}
      {heading.ground.join(" and ")} ask and score the same way, weighted by {heading.ground[0]}
    </strong>
  );
}
