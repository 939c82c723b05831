import { createContext, useContext, useEffect, type ReactNode } from "react";
import { createPortal } from "react-dom";
import { Link } from "react-router";
import { openKeys } from "../palette";

/** Where a page's own words in the head go. */
export const StatusPlace = createContext<HTMLElement | null>(null);

/** A page within the layout: its title, what it says in the head, and its content. */
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
  const place = useContext(StatusPlace);
  return (
    <>
      {status && place && createPortal(status, place)}
      <main id="page" className={full ? "flex-1" : "mx-auto w-full max-w-[1280px] flex-1 px-4 pt-4 pb-12 md:px-8"}>
        {children}
      </main>
      {!full && (
        <footer className="mx-auto flex w-full max-w-[1280px] flex-wrap gap-x-6 border-t border-rule px-4 py-3 text-[13px] text-soft md:px-8">
          <Link className="act" to="/suggest">
            Suggest a review, a change or a correction
          </Link>
          <button type="button" className="act" onClick={openKeys}>
            Keys
          </button>
          <a className="act" href="/calendar.ics">
            Release calendar
          </a>
        </footer>
      )}
    </>
  );
}
