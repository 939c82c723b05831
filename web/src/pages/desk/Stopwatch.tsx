import { useEffect, useRef, useState } from "react";
import { rounded } from "../../numbers";
import { secondsPer } from "../../times";
import { useDeskKeys } from "./keys";

export type Watch = { running: boolean; toggle: () => void; lap: () => void };

/** A stopwatch whose laps and stops become runs. It goes on by the clock, also while the page sleeps. */
export function useStopwatch(unit: string | undefined, onRun: (value: string) => void): Watch & { since: number } {
  const [since, setSince] = useState(0);
  const run = useRef(onRun);
  run.current = onRun;
  const take = () => {
    const now = performance.now();
    const decimals = unit === "ms" ? 0 : unit === "min" ? 3 : 2;
    run.current(((now - since) / 1000 / secondsPer[unit ?? "s"]).toFixed(decimals));
    return now;
  };
  return {
    since,
    running: since > 0,
    toggle: () => {
      if (!since) return setSince(performance.now());
      take();
      setSince(0);
    },
    lap: () => {
      if (since) setSince(take());
    },
  };
}

export function Stopwatch({ watch }: { watch: Watch & { since: number } }) {
  const [now, setNow] = useState(0);
  const keyOf = useDeskKeys();
  useEffect(() => {
    if (!watch.running) return;
    const timer = setInterval(() => setNow(performance.now()), 100);
    return () => clearInterval(timer);
  }, [watch.running]);
  const shown = watch.running ? Math.max(0, now - watch.since) / 1000 : 0;
  return (
    <span className={`inline-flex items-baseline gap-4 text-[13px] ${watch.running ? "bg-chosen px-2" : "text-soft"}`}>
      <button type="button" className="min-h-[24px] hover:text-ink" onClick={watch.toggle}>
        <span className="key mr-1">{keyOf("stopwatch")}</span>
        {watch.running ? "stop" : "stopwatch"}
      </button>
      {watch.running && (
        <>
          <span role="timer" className="text-[17px] font-medium">
            {rounded(shown, 1)} s
          </span>
          <button type="button" className="min-h-[24px] hover:text-ink" onClick={watch.lap}>
            <span className="key mr-1">{keyOf("lap")}</span>lap
          </button>
        </>
      )}
    </span>
  );
}
