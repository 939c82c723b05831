import { useEffect, useState } from "react";
import { flushSync } from "react-dom";

/** Whether the page is being printed, on which all rows of a list are drawn. */
export function usePrinting() {
  const [printing, setPrinting] = useState(false);
  useEffect(() => {
    const begin = () => flushSync(() => setPrinting(true));
    const end = () => setPrinting(false);
    addEventListener("beforeprint", begin);
    addEventListener("afterprint", end);
    return () => {
      removeEventListener("beforeprint", begin);
      removeEventListener("afterprint", end);
    };
  }, []);
  return printing;
}
