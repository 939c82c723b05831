import { useEffect, useRef, useState } from "react";

/**
 * Fetches for what is asked now, one call at a time: while one is under way only the
 * newest question waits. A dragged slider asks far more often than a service answers.
 */
export function useLatest<Q, A>(question: Q, fetch: (q: Q) => Promise<A>) {
  const [answer, setAnswer] = useState<{ to: Q; data: A }>();
  const [error, setError] = useState<Error>();
  const waiting = useRef<{ q: Q } | undefined>(undefined);
  const busy = useRef(false);
  const alive = useRef(true);
  const ask = useRef(fetch);
  ask.current = fetch;
  const key = JSON.stringify(question);
  useEffect(() => {
    alive.current = true;
    return () => {
      alive.current = false;
    };
  }, []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: asked anew where the question reads otherwise
  useEffect(() => {
    waiting.current = { q: question };
    const go = async () => {
      while (waiting.current && alive.current) {
        const { q } = waiting.current;
        waiting.current = undefined;
        try {
          const data = await ask.current(q);
          if (!alive.current) return;
          setAnswer({ to: q, data });
          setError(undefined);
        } catch (e) {
          if (alive.current && !waiting.current) setError(e as Error);
        }
      }
    };
    if (busy.current) return;
    busy.current = true;
    go().finally(() => {
      busy.current = false;
    });
    // The question is compared by what it says.
  }, [key]);
  return { answer, error };
}
