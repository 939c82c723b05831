import type { Schemas } from "../../api";
import { rounded, score } from "../../numbers";

const H = 190;
const left = 34;
const right = 20;
const top = 22;
const foot = 38;

/** The score over the releases: on own list as a hollow dot, on common ground as a line. */
export function Course({ data }: { data: Schemas["HistoryView"] }) {
  return (
    <figure className="max-w-[760px]">
      <div className="max-md:hidden">
        <Drawn data={data} width={760} />
      </div>
      <div className="md:hidden">
        <Drawn data={data} width={360} />
      </div>
      <figcaption className="text-[12px] text-soft">
        Line: on common ground with {data.checklist}. Hollow dot: on its own, older checklist. The scale does not start
        at 0.
      </figcaption>
    </figure>
  );
}

/** The figure at the width that it is shown at, so that its texts keep their size. */
function Drawn({ data, width: W }: { data: Schemas["HistoryView"]; width: number }) {
  const points = data.points;
  const values = points.flatMap((p) => [p.overall, p.ground]).filter((v): v is number => v != null);
  if (values.length === 0) return null;
  const low = Math.max(0, Math.floor((Math.min(...values) - 4) / 5) * 5);
  const high = Math.min(100, Math.ceil((Math.max(...values) + 4) / 5) * 5);
  const y = (v: number) => top + (1 - (v - low) / Math.max(high - low, 1)) * (H - top - foot);
  const x = (i: number) => left + 40 + (points.length < 2 ? 0 : (i * (W - left - right - 80)) / (points.length - 1));
  const line = points
    .map((p, i) => (p.ground == null ? "" : `${i && points[i - 1].ground != null ? "L" : "M"}${x(i)} ${y(p.ground)}`))
    .join("");
  const said = points
    .map(
      (p) =>
        `${data.names[p.edition]?.release}: ${score(p.overall)} on ${p.checklist}, ${score(p.ground)} on common ground`,
    )
    .join("; ");
  const ticks = Array.from({ length: Math.floor((high - low) / 5) + 1 }, (_, i) => low + 5 * i).filter((t) =>
    high - low <= 20 ? true : t % 10 === 0,
  );
  return (
    <svg viewBox={`0 0 ${W} ${H}`} role="img" aria-label={`Score over the releases. ${said}`} className="block w-full">
      {ticks.map((t) => (
        <g key={t}>
          <path d={`M${left} ${y(t)}H${W - right}`} stroke="var(--rule)" />
          <text x={left - 6} y={y(t) + 4} textAnchor="end" fontSize="12" fill="var(--soft)">
            {rounded(t, 0)}
          </text>
        </g>
      ))}
      <path d={line} fill="none" stroke="var(--accent)" strokeWidth="2" />
      {points.map((p, i) => (
        <g key={p.edition} fontSize="13">
          {p.overall != null && p.ground != null && Math.abs(p.overall - p.ground) > 0.05 && (
            <>
              <circle cx={x(i)} cy={y(p.overall)} r="5" fill="var(--paper)" stroke="var(--ink)" strokeWidth="1.6" />
              <text x={x(i) + 10} y={y(p.overall) + 4} fill="var(--soft)">
                {score(p.overall)} {W > 400 ? `on ${p.checklist}` : ""}
              </text>
            </>
          )}
          {p.ground != null && (
            <>
              <circle cx={x(i)} cy={y(p.ground)} r="5" fill="var(--ink)" />
              <text
                x={x(i)}
                y={y(p.ground) + (p.overall != null && p.overall > p.ground + 0.05 ? 20 : -10)}
                textAnchor="middle"
                fill="var(--ink)"
                fontWeight="600"
              >
                {score(p.ground)}
              </text>
            </>
          )}
          <text x={x(i)} y={H - 18} textAnchor="middle" fill="var(--ink)">
            {data.names[p.edition]?.release}
          </text>
          <text x={x(i)} y={H - 3} textAnchor="middle" fill="var(--soft)" fontSize="12">
            {p.date}
          </text>
        </g>
      ))}
    </svg>
  );
}
