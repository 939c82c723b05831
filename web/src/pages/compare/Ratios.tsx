import type { Schemas } from "../../api";
import { titleIn, type Checklist } from "../../checklist";
import { change, figure, rounded } from "../../numbers";
import { nameIn, type Data } from "./Table";

type Row = Schemas["ComparisonRow"];

/** Measures as ratios to the baseline, turned so that to the right is better, with the spread of runs. */
export function Ratios({ data, list }: { data: Data; list: Checklist }) {
  const rows = data.rows.filter(
    (r) => r.value != null && r.value > 0 && r.baselineValue != null && r.baselineValue > 0,
  );
  if (rows.length === 0) return null;
  const lower = (r: Row) =>
    list.sections.flatMap((s) => s.criteria).find((c) => c.key === r.criterion)?.better === "lower";
  const turned = (r: Row, x: number) => (lower(r) ? r.baselineValue! / x : x / r.baselineValue!);
  // A single outlier would squeeze all others together: it is drawn at the edge, with a mark.
  const apart = rows.map((r) => Math.abs(Math.log(turned(r, r.value!)))).sort((x, y) => x - y);
  const reach = Math.min(Math.max(1.3 * apart[Math.floor(0.85 * (apart.length - 1))], Math.log(1.25)), Math.log(4));
  const at = (ratio: number) => Math.min(Math.max(50 + (50 * Math.log(ratio)) / reach, 0), 100);
  const marks = [0.25, 0.5, 0.8, 1, 1.25, 2, 4].filter((m) => Math.abs(Math.log(m)) <= reach);
  const editions = [...new Set(rows.map((r) => r.edition))];
  return (
    <section className="mt-8">
      <h2>Measures as ratios to {baselineText(data)}</h2>
      <p className="text-[13px] text-soft">
        Right is better, whatever the unit. Dot: the value. Bar: from the lowest to the highest run. Grey: too close to
        call. Every value is in the table above.
      </p>
      <div className="mt-2 grid gap-x-10 gap-y-6 lg:grid-cols-2">
        {editions.map((edition) => {
          const mean = data.geometricMeans.find((m) => m.edition === edition);
          return (
            <figure key={edition}>
              <figcaption className="border-b border-ink font-serif font-semibold">
                {nameIn(data, edition)}
                {mean?.ratio != null && (
                  <span className="font-sans text-[13px] font-normal text-soft">
                    {" "}
                    · in one figure {figure(mean.ratio)} times, {mean.ratio < 1 ? "worse" : "better"} (above 1 is
                    better): the geometric mean over {mean.over}
                    {mean.carries &&
                      mean.over > 1 &&
                      `; ${titleIn(list, mean.carries.criterion)}${mean.carries.rig ? ` on ${mean.carries.rig}` : ""}, ${figure(mean.carries.ratio)}, accounts for most of it (${rounded(100 * (mean.carriedShare ?? 0), 0)} % of all change)`}
                  </span>
                )}
              </figcaption>
              <div className="relative grid grid-cols-[minmax(8rem,12rem)_1fr] gap-x-3 pt-1 text-[12px]">
                {rows
                  .filter((r) => r.edition === edition)
                  .map((r) => (
                    <Line
                      key={r.criterion + r.rig}
                      row={r}
                      title={titleIn(list, r.criterion)}
                      at={at}
                      turned={(x) => turned(r, x)}
                      marks={marks}
                    />
                  ))}
                <span className="relative col-start-2 block h-4 text-[11px] text-soft" aria-hidden="true">
                  {marks.map((m) => (
                    <span key={m} className="absolute -translate-x-1/2" style={{ left: `${at(m)}%` }}>
                      {m === 1 ? "1" : `×${m}`}
                    </span>
                  ))}
                </span>
              </div>
            </figure>
          );
        })}
      </div>
    </section>
  );
}

function Line({
  row: r,
  title,
  at,
  turned,
  marks,
}: {
  row: Row;
  title: string;
  at: (x: number) => number;
  turned: (x: number) => number;
  marks: number[];
}) {
  const close = r.verdict === "too close";
  const place = at(turned(r.value!));
  const beyond = place >= 100 ? 1 : place <= 0 ? -1 : 0;
  const ends = r.runs ? [at(turned(r.runs.least)), at(turned(r.runs.most))].sort((a, b) => a - b) : undefined;
  const verdict = close ? "too close to call" : r.verdict;
  const says = [verdict, change(r.percent), r.caution].filter(Boolean).join(", ");
  const words = `${title}${r.rig ? `, ${r.rig}` : ""}: ${says}`;
  return (
    <div className="col-span-2 grid grid-cols-subgrid items-center" title={words}>
      <span className="truncate">
        {title} <span className="text-soft">{r.rig}</span>
      </span>
      <span className="relative block h-[18px]" role="img" aria-label={words}>
        {marks.map((m) => (
          <span
            key={m}
            className="absolute top-0 bottom-0 block border-l"
            style={{ left: `${at(m)}%`, borderColor: m === 1 ? "var(--ink)" : "var(--rule)" }}
          />
        ))}
        {ends && !beyond && (
          <span
            className="absolute top-[6px] block h-[6px] bg-accent/60"
            style={{ left: `${ends[0]}%`, width: `${Math.max(ends[1] - ends[0], 0.5)}%` }}
          />
        )}
        {beyond ? (
          <span
            className="absolute top-0 text-[11px] leading-[18px] whitespace-nowrap"
            style={beyond > 0 ? { right: 0 } : { left: 0 }}
          >
            {beyond > 0 ? `×${figure(turned(r.value!))} ▸` : `◂ ×${figure(turned(r.value!))}`}
          </span>
        ) : (
          <span
            className={`absolute top-[5px] -ml-[4px] block h-[8px] w-[8px] rounded-full border ${close ? "border-soft bg-wash" : "border-ink bg-ink"}`}
            style={{ left: `${at(turned(r.value!))}%` }}
          />
        )}
      </span>
    </div>
  );
}

/** The baseline of the differences, in words. */
export function baselineText(data: Data): string {
  switch (data.baseline) {
    case "previous":
      return "the release before";
    case "based-on":
      return "the release it is based on";
    case "record":
      return "the record";
  }
  return nameIn(data, data.baseline);
}
