import { useWindowVirtualizer } from "@tanstack/react-virtual";
import { useLayoutEffect, useRef, useState } from "react";
import type { InView } from "./inview";
import { usePrinting } from "./printing";

/**
 * Which rows of a long list that scrolls with the page are to be drawn, and how much room those before and after them
 * take. The list's element gets `place`, each row `measure` and its index as data-index.
 */
export function useInView<E extends HTMLElement>(count: number, rowHeight: number, whole: number): InView<E> {
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
