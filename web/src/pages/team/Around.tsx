import type { ReactNode } from "react";
import { NavLink } from "react-router";
import { Frame } from "../../components/Frame";
import { Empty, Loading } from "../../components/States";
import { Link } from "react-router";
import { useSession } from "../../session";

const pages = [
  { to: "/team", name: "Queue" },
  { to: "/team/plans", name: "Comparison plans" },
  { to: "/team/suggestions", name: "Suggestions" },
  { to: "/team/import", name: "Import and export" },
  { to: "/team/rules", name: "Rules" },
  { to: "/rigs", name: "Rigs" },
  { to: "/troubles", name: "Troubles" },
];

/** What the team's pages have around them; they are the team's own. */
export function Around({ title, children }: { title: string; children: ReactNode }) {
  const session = useSession();
  return (
    <Frame title={title}>
      <nav aria-label="Team" className="mb-4 flex flex-wrap gap-x-6 gap-y-1 border-b border-rule pb-2">
        {pages.map((p) => (
          <NavLink
            key={p.to}
            to={p.to}
            end
            className={({ isActive }) => (isActive ? "font-semibold" : "text-soft hover:text-ink")}
          >
            {p.name}
          </NavLink>
        ))}
      </nav>
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
          to see the team's work.
        </Empty>
      )}
    </Frame>
  );
}
