import type { Schemas } from "../../api";

type Role = Schemas["Role"];

export const roles: Role[] = ["reviewer", "lead", "administrator"];

const does: Record<Role, string> = {
  reviewer: "measures, grades and writes",
  lead: "plans, accepts and publishes",
  administrator: "manages accounts",
};

/** Which roles somebody or something has. */
export function RoleBoxes({
  legend,
  of = roles,
  value,
  onChange,
}: {
  legend: string;
  of?: Role[];
  value: Role[];
  onChange: (roles: Role[]) => void;
}) {
  return (
    <fieldset>
      <legend className="text-[13px] text-soft">{legend}</legend>
      {roles
        .filter((r) => of.includes(r))
        .map((r) => (
          <label key={r} className="mr-6 inline-flex items-center gap-2 py-0.5">
            <input
              type="checkbox"
              className="accent-(--accent)"
              checked={value.includes(r)}
              onChange={() => onChange(value.includes(r) ? value.filter((x) => x !== r) : [...value, r])}
            />
            {r} <span className="text-[13px] text-soft">{does[r]}</span>
          </label>
        ))}
    </fieldset>
  );
}
