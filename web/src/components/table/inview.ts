import type { Ref } from "react";

/** Which rows of a list are to be drawn, and how much room those before and after them take. */
export type InView<E extends HTMLElement> = {
  /** For the element whose children the rows are. */
  place?: Ref<E>;
  /** For each row, with its index as data-index. */
  measure?: (row: Element | null) => void;
  rows: number[];
  before: number;
  after: number;
};

// With more rows than these, only those in view are drawn.
export const drawnWhole = 120;

/** How many rows fill a high window, to be drawn until the code is there that draws those in view. */
export const firstWindow = 40;

/** The first rows, all in view. */
export const firstOf = <E extends HTMLElement>(count: number): InView<E> => ({
  rows: Array.from({ length: count }, (_, i) => i),
  before: 0,
  after: 0,
});
