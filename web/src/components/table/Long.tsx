import type { ReactNode } from "react";
import type { InView } from "./inview";
import { useInView } from "./window";

/** Rows of a list that is too long to be drawn whole. Its code is fetched when there is one. */
export default function Long<E extends HTMLElement>({
  count,
  rowHeight,
  children,
}: {
  count: number;
  rowHeight: number;
  children: (inView: InView<E>) => ReactNode;
}) {
  return children(useInView<E>(count, rowHeight, 0));
}
