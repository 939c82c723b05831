import { useEffect, useRef, useState, type ReactNode } from "react";

// Content out of view is drawn this long after the page, so that it can be printed and found.
const anyway = 5000;

/** Draws what is far down on a page when somebody comes near it, or a while after the page. */
export function WhenNear({ children }: { children: ReactNode }) {
  const place = useRef<HTMLDivElement>(null);
  const [near, setNear] = useState(false);
  useEffect(() => {
    if (near || !place.current) return;
    const look = new IntersectionObserver((seen) => seen.some((s) => s.isIntersecting) && setNear(true), {
      rootMargin: "200px",
    });
    look.observe(place.current);
    const timer = setTimeout(() => setNear(true), anyway);
    return () => {
      look.disconnect();
      clearTimeout(timer);
    };
  }, [near]);
  return near ? children : <div ref={place} className="min-h-40" />;
}
