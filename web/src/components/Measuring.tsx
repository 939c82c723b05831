import { useMutation, useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "../api";
import { titleIn, type Checklist } from "../checklist";
import { outdated, sourceKey } from "../keys";
import { clock, figure, rounded } from "../numbers";
import { useMay, useSession } from "../session";
import { Refused } from "./States";
import { useQueryClient } from "@tanstack/react-query";

type Measurement = Schemas["Measurement"];
type SoFar = Schemas["MeasuredSoFar"];

/** What dtally measure is measuring now in these reviews, side by side and run by run. */
export function Measuring({
  reviews,
  list,
  name,
}: {
  reviews: string[];
  list: Checklist;
  /** How a review's edition is called; left out if there is only one. */
  name?: (review: string) => string;
}) {
  const may = useMay();
  const me = useSession().data?.person?.name;
  const wanted = [...reviews].sort();
  const now = useQuery({
    queryKey: sourceKey("measurements", ...wanted),
    enabled: !!me && wanted.length > 0,
    queryFn: () => take(api.GET("/measurements", { params: { query: { review: wanted } } })),
    refetchInterval: (q) => (q.state.data?.measurements.length ? 2000 : 15_000),
  });
  const all = now.data?.measurements ?? [];
  if (all.length === 0) return null;
  return (
    <section className="my-4 border border-ink p-3" aria-label="Measuring now">
      <h2>Measuring now</h2>
      <div className={`mt-1 grid gap-6 ${all.length > 1 ? "md:grid-cols-2" : ""}`}>
        {all.map((m) => (
          <One key={m.id} of={m} list={list} title={name?.(m.review)} stops={may("record-readings")} />
        ))}
      </div>
    </section>
  );
}

function One({ of: m, list, title, stops }: { of: Measurement; list: Checklist; title?: string; stops: boolean }) {
  const queries = useQueryClient();
  const stop = useMutation({
    mutationFn: () =>
      take(
        api.POST("/reviews/{id}/measurements/{measurement}/stop", {
          params: { path: { id: m.review, measurement: m.id } },
        }),
      ),
    onSettled: () => outdated(queries, "measurements"),
  });
  const silent = m.silent > 60;
  return (
    <div className="min-w-0" data-measurement={m.rig}>
      <p className="flex flex-wrap items-baseline gap-x-3">
        <b>{[title, m.rig].filter(Boolean).join(" on ")}</b>
        <span className="text-[13px] text-soft">
          {m.person} since {clock(new Date(m.began))}
          {!silent && m.progress.left ? ` · about ${spanText(m.progress.left)} left` : ""}
        </span>
        {m.stopper ? (
          <span className="text-[13px]">{m.stopper} asked to stop it</span>
        ) : (
          stops && (
            <button type="button" className="act text-[13px]" disabled={stop.isPending} onClick={() => stop.mutate()}>
              Stop
            </button>
          )
        )}
      </p>
      {silent ? (
        <p role="status" className="text-[13px]">
          No report for {spanText(m.silent)}: the machine has no network, or the measurement was ended. Its journal is
          on the machine.
        </p>
      ) : (
        m.progress.waiting && <p className="text-[13px] text-soft">Waiting: {m.progress.waiting}</p>
      )}
      <ul className="mt-1">
        {m.progress.criteria.map((c) => (
          <li key={c.criterion} className="grid gap-x-3 border-b border-rule py-1 sm:grid-cols-[minmax(0,14rem)_1fr]">
            <span className="truncate" title={titleIn(list, c.criterion)}>
              {titleIn(list, c.criterion)}
            </span>
            <span className="min-w-0">
              <Dots of={c} />
              <span className="block text-[12px] text-soft">
                {[
                  c.median !== undefined && `median ${figure(c.median)} ${c.unit ?? ""}`.trim(),
                  c.precision !== undefined && `± ${rounded(100 * c.precision, 1)} %`,
                  c.state,
                ]
                  .filter(Boolean)
                  .join(" · ")}
              </span>
            </span>
          </li>
        ))}
      </ul>
      <Refused error={stop.error} />
    </div>
  );
}

/** Run by run, each by its value from the lowest to the highest; one that does not count is hollow. */
function Dots({ of: c }: { of: SoFar }) {
  const counting = c.runs.filter((r) => !r.out);
  const low = Math.min(...counting.map((r) => r.value));
  const high = Math.max(...counting.map((r) => r.value));
  const y = (v: number) => (high > low ? 16 - (12 * (Math.min(Math.max(v, low), high) - low)) / (high - low) : 10);
  const width = Math.max(c.runs.length, 1) * 9;
  const out = c.runs.length - counting.length;
  return (
    <svg
      width={width}
      height={20}
      viewBox={`0 0 ${width} 20`}
      className="block max-w-full"
      role="img"
      aria-label={`${counting.length} of at most ${c.most} runs${out ? `, ${out} not counted` : ""}`}
    >
      {c.runs.map((r, i) => (
        <circle key={i} cx={9 * i + 4.5} cy={y(r.value)} r={3} fill={r.out ? "none" : "var(--ink)"} stroke="var(--ink)">
          <title>{`${figure(r.value)} ${c.unit ?? ""}${r.out ? `, not counted: ${r.out}` : ""}`}</title>
        </circle>
      ))}
    </svg>
  );
}

function spanText(seconds: number): string {
  if (seconds < 90) return `${rounded(seconds, 0)} s`;
  return seconds < 5400 ? `${rounded(seconds / 60, 0)} min` : `${rounded(seconds / 3600, 1)} h`;
}
