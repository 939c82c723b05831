import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, type ReactNode } from "react";
import { Link, NavLink, useLocation, useNavigate } from "react-router";
import { api, take, type Schemas } from "../api";
import { useChanges } from "../live";
import { Leaving } from "./Leaving";
import { TallyMark } from "./Tally";

export function useSession() {
  return useQuery({ queryKey: ["session"], queryFn: () => take(api.GET("/session")), staleTime: 60_000 });
}

export function useAbout() {
  return useQuery({ queryKey: ["about"], queryFn: () => take(api.GET("/about")), staleTime: 300_000 });
}

/** Whether who asks may do something at all, as the service says. Things say for themselves what may be done with them. */
export function useMay(): (what: Schemas["Capability"]) => boolean {
  const may = useSession().data?.may ?? [];
  return (what) => may.includes(what);
}

/** The page around every page: the head with the ways on, and the body below. */
export function Frame({
  title,
  children,
  status,
  full = false,
}: {
  title: string;
  children: ReactNode;
  status?: ReactNode;
  full?: boolean;
}) {
  useEffect(() => {
    document.title = `${title} · Dapper Tally`;
  }, [title]);
  useChanges(!!useSession().data?.signedIn);
  return (
    <div className="flex min-h-screen flex-col">
      <a href="#page" className="sr-only focus:not-sr-only focus:absolute focus:z-10 focus:bg-paper focus:p-2">
        To the page's content
      </a>
      <Head status={status} />
      <main id="page" className={full ? "flex-1" : "mx-auto w-full max-w-[1280px] flex-1 px-4 pt-4 pb-12 md:px-8"}>
        {children}
      </main>
      {!full && (
        <footer className="mx-auto flex w-full max-w-[1280px] flex-wrap gap-x-6 border-t border-rule px-4 py-3 text-[13px] text-soft md:px-8">
          <Link className="act" to="/suggest">
            Suggest a review, a change or a correction
          </Link>
          <a className="act" href="/calendar.ics">
            Releases as a calendar
          </a>
        </footer>
      )}
    </div>
  );
}

const ways = [
  { to: "/", name: "Ranking" },
  { to: "/catalogue", name: "Catalogue" },
  { to: "/checklist", name: "Checklist" },
  { to: "/compare", name: "Compare" },
  { to: "/records", name: "Records" },
  { to: "/reports", name: "Reports" },
];

function Head({ status }: { status?: ReactNode }) {
  const session = useSession();
  const links = session.data?.signedIn
    ? [...ways, { to: "/team", name: "Team" }, { to: "/work", name: "My work" }]
    : ways;
  return (
    <header
      style={{ background: "var(--head)", color: "var(--head-ink)" }}
      className="flex flex-wrap items-center gap-x-7 gap-y-1 px-4 md:h-[49px] md:flex-nowrap md:px-8"
    >
      <Link to="/" className="flex items-center gap-3 py-2 font-serif text-[18px] font-semibold whitespace-nowrap">
        <TallyMark /> Dapper Tally
      </Link>
      <nav aria-label="Pages" className="order-3 flex w-full gap-5 overflow-x-auto md:order-none md:w-auto">
        {links.map((l) => (
          <NavLink
            key={l.to}
            to={l.to}
            end={l.to === "/"}
            className="border-b-2 pt-1 pb-1.5 whitespace-nowrap"
            style={({ isActive }) => ({
              color: isActive ? "var(--head-ink)" : "var(--head-soft)",
              borderColor: isActive ? "var(--head-accent)" : "transparent",
              fontWeight: isActive ? 500 : 400,
            })}
          >
            {l.name}
          </NavLink>
        ))}
      </nav>
      <div className="ml-auto flex items-center gap-3 py-2 whitespace-nowrap" style={{ color: "var(--head-soft)" }}>
        {status}
        <Who />
      </div>
    </header>
  );
}

function Who() {
  const session = useSession();
  const about = useAbout();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const here = useLocation();
  const person = session.data?.person;
  const leave = async () => {
    await take(api.DELETE("/session"));
    queries.clear();
    navigate("/");
  };
  if (person)
    return (
      <span>
        {person.title.split(" ")[0]} <Leaving person={person.name} leave={leave} />
      </span>
    );
  return (
    <span>
      <span className="max-md:hidden">{about.data?.team} · </span>
      <Link
        to={`/sign-in?to=${encodeURIComponent(here.pathname + here.search)}`}
        className="underline underline-offset-2"
        style={{ color: "var(--head-ink)" }}
      >
        Sign in
      </Link>
    </span>
  );
}
