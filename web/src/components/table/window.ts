import { useWindowVirtualizer } from "@tanstack/react-virtual";
import { useLayoutEffect, useRef, useState, useSyncExternalStore } from "react";
import { usePrinting } from "./printing";

// Of more rows than these those alone are drawn that are seen.
const drawnWhole = 120;

/**
 * Which rows of a long list that scrolls with the page are to be drawn, and how much room those before and after them
 * take. The list's element gets `place`, each row `measure` and its index as data-index.
 */
export function useInView<E extends HTMLElement>(count: number, rowHeight: number, whole = drawnWhole) {
  const place = useRef<E>(null);
  const printing = usePrinting();
  const [top, setTop] = useState(0);
  const many = count > whole && !printing;
  useLayoutEffect(() => {
    const now = place.current && Math.round(place.current.getBoundingClientRect().top + scrollY);
    if (now != null && now !== top) setTop(now);
  });
  const virtual = useWindowVirtualizer({
    count: many ? count : 0,
    estimateSize: () => rowHeight,
    overscan: Math.max(3, Math.ceil(450 / rowHeight)),
    scrollMargin: top,
  });
  const items = virtual.getVirtualItems();
  return {
    place,
    measure: many ? virtual.measureElement : undefined,
    rows: many ? items.map((i) => i.index) : Array.from({ length: count }, (_, i) => i),
    before: many && items.length > 0 ? items[0].start - top : 0,
    after: many && items.length > 0 ? virtual.getTotalSize() - (items[items.length - 1].end - top) : 0,
  };
}

const wide = matchMedia("(min-width: 768px)");

/** Whether the page is wide enough for a table of many columns. */
export const useWide = () =>
  useSyncExternalStore(
    (told) => {
      wide.addEventListener("change", told);
      return () => wide.removeEventListener("change", told);
    },
    () => wide.matches,
  );
