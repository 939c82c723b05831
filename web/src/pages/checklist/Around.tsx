import type { ReactNode } from "react";
import { NavLink } from "react-router";
import { Frame } from "../../components/Frame";
import { useSession } from "../../session";

const parts = [
  { to: "/checklist", name: "Questions" },
  { to: "/checklist/audiences", name: "Audiences" },
  { to: "/checklist/versions", name: "Versions" },
];

/** The frame of the checklist's pages, with the ways between them. */
export function Around({ title, children, status }: { title: string; children: ReactNode; status?: ReactNode }) {
  const team = useSession().data?.signedIn;
  const all = team ? [...parts, { to: "/checklist/proposals", name: "Proposals" }] : parts;
  return (
    <Frame title={title} status={status}>
      <nav aria-label="Checklist" className="mb-3 flex gap-5 text-[13px]">
        {all.map((p) => (
          <NavLink
            key={p.to}
            to={p.to}
            end={p.to === "/checklist"}
            className="border-b py-0.5"
            style={({ isActive }) => ({
              borderColor: isActive ? "var(--accent)" : "transparent",
              fontWeight: isActive ? 600 : 400,
            })}
          >
            {p.name}
          </NavLink>
        ))}
      </nav>
      {children}
    </Frame>
  );
}
