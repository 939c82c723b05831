import { Suspense, useEffect, useRef, useState, type ReactNode } from "react";
import { Search } from "lucide-react";
import { Link, NavLink, Outlet, ScrollRestoration, useLocation, useNavigation } from "react-router";
import { useArrival } from "../arrival";
import { part, useMissing } from "../chunks";
import { useMoved } from "../moved";
import { clock } from "../numbers";
import { openPalette, useOver, useShortcuts } from "../palette";
import { useAbout, useSession } from "../session";
import { useOtherTabs } from "../signing";
import { useUnreachable } from "../unreachable";
import { useUpgrade } from "../upgrade";
import { StatusPlace } from "./Frame";
import { TallyMark } from "./Tally";

/** What stays around every page: the head with the ways on, and what goes on behind all of them. */
export function Layout() {
  const [place, setPlace] = useState<HTMLElement | null>(null);
  const [mine, setMine] = useState<HTMLElement | null>(null);
  const person = useSession().data?.person;
  useOtherTabs();
  const upgrade = useUpgrade(!!person);
  const arrived = useArrival();
  const missing = useMissing();
  const unreachable = useUnreachable();
  const fetching = useNavigation().state !== "idle";
  return (
    <StatusPlace value={place}>
      <div className="flex min-h-screen flex-col" aria-busy={fetching}>
        <a href="#page" className="sr-only focus:not-sr-only focus:absolute focus:z-10 focus:bg-paper focus:p-2">
          Skip to content
        </a>
        <Head place={setPlace} mine={setMine} fetching={fetching} />
        {unreachable && <Banner>No connection to the service. This page shows what was fetched before.</Banner>}
        {upgrade.ready && <Anew act={upgrade.take}>A new version of the console is ready.</Anew>}
        {missing && !upgrade.ready && (
          <Anew act={() => location.reload()}>A part of this page could not be loaded.</Anew>
        )}
        <Outlet />
        {person && (
          <Suspense>
            <SignedIn person={person} head={mine} />
          </Suspense>
        )}
        <Over />
        <p aria-live="polite" className="sr-only">
          {arrived}
        </p>
      </div>
      <ScrollRestoration getKey={(l) => l.pathname + l.key} />
    </StatusPlace>
  );
}

/** A line below the head. */
function Banner({ children }: { children: ReactNode }) {
  return (
    <p role="status" className="border-b border-rule bg-chosen px-4 py-1 md:px-8">
      {children}
    </p>
  );
}

/** Says why it helps to open the page anew, and does it. */
function Anew({ act, children }: { act: () => void; children: string }) {
  return (
    <Banner>
      {children}{" "}
      <button type="button" className="act ml-2" onClick={act}>
        Reload
      </button>{" "}
      <span className="text-soft">What you typed is saved.</span>
    </Banner>
  );
}

const SignedIn = part(() => import("./SignedIn"), true);
const Palette = part(() => import("./palette/Palette"));
const Keys = part(() => import("./palette/Keys"));

/** What lies over the page while it is asked for. */
function Over() {
  useShortcuts();
  const over = useOver();
  if (!over) return null;
  return <Suspense>{over === "palette" ? <Palette /> : <Keys />}</Suspense>;
}

const ways = [
  { to: "/", name: "Ranking" },
  { to: "/catalogue", name: "Catalogue" },
  { to: "/checklist", name: "Checklist" },
  { to: "/compare", name: "Compare" },
  { to: "/records", name: "Records" },
  { to: "/reports", name: "Reports" },
];

type Place = (e: HTMLElement | null) => void;

/** The head: `place` is for the status of a page, `mine` for the menu of the person who is signed in. */
function Head({ place, mine, fetching }: { place: Place; mine: Place; fetching: boolean }) {
  const session = useSession();
  const { pathname } = useLocation();
  const links = session.data?.signedIn
    ? [...ways, { to: "/team", name: "Team" }, { to: "/work", name: "My work" }]
    : ways;
  const nav = useRef<HTMLElement>(null);
  const here = links.find((l) => (l.to === "/" ? pathname === "/" : pathname.startsWith(l.to)))?.to;
  useEffect(() => {
    // Where the names do not fit, the one of this page is in view.
    const link = nav.current?.querySelector<HTMLElement>(`[href="${here}"]`);
    if (link) nav.current!.scrollLeft = link.offsetLeft + link.offsetWidth - nav.current!.clientWidth;
  }, [here]);
  return (
    <header
      style={{ background: "var(--head)", color: "var(--head-ink)" }}
      className="relative flex flex-wrap items-center gap-x-7 gap-y-1 px-4 md:h-[49px] md:flex-nowrap md:px-8"
    >
      <Link to="/" className="flex items-center gap-3 py-2 font-serif text-[18px] font-semibold whitespace-nowrap">
        <TallyMark /> <span className={session.data?.signedIn ? "max-[430px]:sr-only" : ""}>Dapper Tally</span>
      </Link>
      <nav
        ref={nav}
        aria-label="Pages"
        className="order-3 flex w-full gap-5 md:max-lg:gap-3 overflow-x-auto md:order-none md:w-auto min-[1240px]:shrink-0"
      >
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
      <div
        className="ml-auto flex min-w-0 items-center gap-3 py-2 whitespace-nowrap"
        style={{ color: "var(--head-soft)" }}
      >
        <span ref={place} className="min-w-0 truncate" />
        <button
          type="button"
          className="flex items-center gap-1 underline-offset-2 hover:underline"
          onClick={openPalette}
          aria-label="Search"
          aria-keyshortcuts="Control+K"
        >
          <Search size={15} aria-hidden="true" /> <span className="text-[12px] max-lg:hidden">Ctrl K</span>
        </button>
        <a href={`/docs/for${pathname}`} className="hover:underline">
          Help
        </a>
        <Moved />
        <span ref={mine} className="contents" />
        <SignInLink />
      </div>
      {fetching && <span className="fetching" aria-hidden />}
    </header>
  );
}

/** When the figures on the page last moved while it was open. */
function Moved() {
  const moved = useMoved();
  const { pathname } = useLocation();
  if (!moved || /^\/(desk|bench)\//.test(pathname)) return null; // these say themselves what is saved
  return (
    <span role="status" className="text-[13px] max-md:hidden">
      updated {clock(moved)}
    </span>
  );
}

function SignInLink() {
  const session = useSession();
  const about = useAbout();
  const here = useLocation();
  if (session.data?.person) return null;
  return (
    <span>
      {about.data && <span className="max-md:hidden">{about.data.team} · </span>}
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
