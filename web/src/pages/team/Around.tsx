import type { ReactNode } from "react";
import { NavLink } from "react-router";
import type { Schemas } from "../../api";
import { Frame } from "../../components/Frame";
import { Empty, Loading } from "../../components/States";
import { Link } from "react-router";
import { useMay, useSession } from "../../session";

const pages: { to: string; name: string; may?: Schemas["Capability"] }[] = [
  { to: "/team", name: "Queue" },
  { to: "/team/plans", name: "Comparison plans" },
  { to: "/team/suggestions", name: "Suggestions" },
  { to: "/team/import", name: "Import and export" },
  { to: "/team/settings", name: "Settings" },
  { to: "/team/people", name: "People" },
  { to: "/team/audit", name: "Audit", may: "see-audit" },
  { to: "/team/operations", name: "Operations", may: "see-operations" },
  { to: "/team/hooks", name: "Web hooks", may: "manage-hooks" },
  { to: "/rigs", name: "Rigs" },
  { to: "/known-issues", name: "Known issues" },
];

function Pages() {
  const may = useMay();
  return (
    <nav aria-label="Team" className="mb-4 flex flex-wrap gap-x-6 gap-y-1 border-b border-rule pb-2">
      {pages
        .filter((p) => !p.may || may(p.may))
        .map((p) => (
          <NavLink
            key={p.to}
            to={p.to}
            end={p.to === "/team"}
            className={({ isActive }) => (isActive ? "font-semibold" : "text-soft hover:text-ink")}
          >
            {p.name}
          </NavLink>
        ))}
    </nav>
  );
}

/** A page that everybody can read. Members of the team see it among their pages. */
export function Among({ title, children }: { title: string; children: ReactNode }) {
  const session = useSession();
  return (
    <Frame title={title}>
      {session.data?.signedIn && <Pages />}
      {children}
    </Frame>
  );
}

/** What the team's pages have around them; they are the team's own. */
export function Around({ title, children }: { title: string; children: ReactNode }) {
  const session = useSession();
  return (
    <Frame title={title}>
      <Pages />
      {session.isPending ? (
        <Loading what="the page" />
      ) : session.data?.signedIn ? (
        children
      ) : (
        <Empty>
          <h1 className="mb-2 text-ink">{title}</h1>
          <Link className="act" to={`/sign-in?to=${encodeURIComponent(location.pathname)}`}>
            Sign in
          </Link>{" "}
          to see the work of the team.
        </Empty>
      )}
    </Frame>
  );
}
