import { useEffect, useRef, useState } from "react";

// How many calls are under way at once: an answer comes two or three frames after its question.
const atOnce = 3;

/**
 * Fetches for what is asked now, a few calls at a time: while these are under way only the
 * newest question waits, since a dragged slider can ask more often than a service answers.
 * An answer never takes the place of one to a newer question. With a rest, in milliseconds,
 * it asks once the question has not changed for so long, one call at a time.
 */
export function useLatest<Q, A>(question: Q, fetch: (q: Q) => Promise<A>, rest = 0) {
  const [answer, setAnswer] = useState<{ to: Q; data: A }>();
  const [error, setError] = useState<Error>();
  const waiting = useRef<{ q: Q } | undefined>(undefined);
  const calls = useRef({ underWay: 0, asked: 0, answered: 0 });
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
    const c = calls.current;
    const go = async () => {
      while (waiting.current && alive.current) {
        const { q } = waiting.current;
        waiting.current = undefined;
        const number = ++c.asked;
        try {
          const data = await ask.current(q);
          if (!alive.current) return;
          if (number < c.answered) continue;
          c.answered = number;
          setAnswer({ to: q, data });
          setError(undefined);
        } catch (e) {
          if (alive.current && number === c.asked) setError(e as Error);
        }
      }
    };
    const begin = () => {
      if (c.underWay >= (rest > 0 ? 1 : atOnce)) return;
      c.underWay++;
      go().finally(() => c.underWay--);
    };
    if (rest === 0) {
      begin();
      return;
    }
    const later = setTimeout(begin, rest);
    return () => clearTimeout(later);
    // The question is compared by what it says.
  }, [key]);
  return { answer, error };
}
