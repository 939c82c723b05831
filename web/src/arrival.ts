import { useEffect, useRef, useState } from "react";
import { useLocation } from "react-router";

/** How long a page may take to have its heading before the reader is left alone. */
const patience = 20_000;

/**
 * After a way to another page: gives the focus to the page's heading as soon as it is there, unless the page has
 * given it to something of its own, and answers with the page's title, to be announced.
 */
export function useArrival(): string {
  const { pathname } = useLocation();
  const [arrived, setArrived] = useState("");
  const before = useRef(pathname);
  useEffect(() => {
    if (before.current === pathname) return;
    before.current = pathname;
    const arrive = () => {
      const heading = document.querySelector<HTMLElement>("#page h1");
      if (!heading) return false;
      setArrived(document.title);
      const page = document.getElementById("page");
      const held = document.activeElement;
      if (held && held !== heading && (page?.contains(held) || held.closest("[role=dialog]"))) return true;
      heading.tabIndex = -1;
      heading.focus({ preventScroll: true });
      return true;
    };
    const watch = new MutationObserver(() => arrive() && watch.disconnect());
    // The page that is left is still there until React has drawn the next.
    const start = requestAnimationFrame(() => {
      if (!arrive()) watch.observe(document.body, { childList: true, subtree: true });
    });
    const end = setTimeout(() => watch.disconnect(), patience);
    return () => {
      cancelAnimationFrame(start);
      clearTimeout(end);
      watch.disconnect();
    };
  }, [pathname]);
  return arrived;
}
