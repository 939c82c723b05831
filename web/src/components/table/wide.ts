import { useSyncExternalStore } from "react";

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
