import { useEffect } from "react";
import { shared, useShared } from "./shared";

/** What lies over the page to move fast: the field that goes anywhere, or the list of keys. */
type Over = "" | "palette" | "keys";

const over = shared<Over>("");

export const openPalette = () => over.set("palette");
export const openKeys = () => over.set("keys");
export const closeOver = () => over.set("");
export const useOver = () => useShared(over);

/** Whether letters are typed at an element. */
const takesLetters = (e: Element | null) =>
  !!e?.closest("input:not([type=checkbox]):not([type=radio]), textarea, select, [contenteditable=true]");

/** Ctrl K opens the field anywhere, the question mark the list of keys where no letters are typed. */
export function useShortcuts() {
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      if ((e.ctrlKey || e.metaKey) && !e.altKey && !e.shiftKey && e.code === "KeyK") {
        e.preventDefault();
        openPalette();
      } else if (
        e.key === "?" &&
        !e.defaultPrevented &&
        !e.ctrlKey &&
        !e.metaKey &&
        !takesLetters(e.target as Element)
      ) {
        e.preventDefault();
        openKeys();
      }
    };
    addEventListener("keydown", press);
    return () => removeEventListener("keydown", press);
  }, []);
}
