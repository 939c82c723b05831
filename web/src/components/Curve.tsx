import type { Criterion } from "../checklist";
import { counted, figure } from "../numbers";
import { pointsOf, type Rule } from "../rules";
import { hue } from "./Figures";

export type Tick = { value?: number | null; points: number; rig?: string; name: string };

const W = 210;
const H = 54;
const PAD = 5;

type Props = { rule: Rule; criterion: Criterion; ticks: Tick[]; index: number };

/**
 * A rule drawn small: the line of a number with the present readings as ticks on it; for
 * other answers the points that editions have.
 */
export function Curve({ rule, criterion: c, ticks, index }: Omit<Props, "rule"> & { rule?: Rule }) {
  if (!rule) return null;
  return c.better && rule.line.length > 0 ? (
    <Measured rule={rule} criterion={c} ticks={ticks} index={index} />
  ) : (
    <Spread
      ticks={ticks}
      index={index}
      marks={rule.choices.length ? rule.choices.map((x) => x.points) : [0, 50, 100]}
    />
  );
}

function Measured({ rule, criterion: c, ticks, index }: Props) {
  const values = ticks.flatMap((t) => (t.value == null ? [] : [t.value]));
  const best = c.better === "lower" ? Math.min(...values) : Math.max(...values);
  const ends = rule.relative ? [] : [rule.line[0][0], rule.line.at(-1)![0]];
  const all = [...values, ...ends].filter(Number.isFinite);
  if (all.length === 0) return null;
  const margin = (Math.max(...all) - Math.min(...all)) * 0.06 || 1;
  const low = Math.max(Math.min(...all) - margin, Math.min(...all) >= 0 ? Math.min(...all) / 1.3 : -Infinity);
  const high = Math.max(...all) + margin;
  const x = (v: number) => PAD + ((v - low) / (high - low)) * (W - 2 * PAD);
  const y = (p: number) => H - PAD - 8 - (Math.min(Math.max(p, 0), 100) / 100) * (H - 2 * PAD - 8);
  const line = Array.from({ length: 61 }, (_, i) => low + ((high - low) * i) / 60)
    .map((v, i) => `${i ? "L" : "M"}${x(v).toFixed(1)} ${y(pointsOf(rule, v, best) ?? 0).toFixed(1)}`)
    .join("");
  const said = values.length
    ? `${counted(values.length, "reading")} from ${figure(Math.min(...values))} to ${figure(Math.max(...values))} ${c.unit ?? ""}`
    : "no readings yet";
  return (
    <svg
      role="img"
      aria-label={`The rule as a curve; ${said}`}
      viewBox={`0 0 ${W} ${H}`}
      width={W}
      height={H}
      className="block max-w-full"
    >
      <path d={`M${PAD} ${y(0)}H${W - PAD}M${PAD} ${y(100)}H${W - PAD}`} stroke="var(--rule)" />
      <path d={line} fill="none" stroke={hue(index)} strokeWidth={1.6} />
      {ticks.map(
        (t, i) =>
          t.value != null && (
            <path
              key={i}
              d={`M${x(t.value).toFixed(1)} ${(y(pointsOf(rule, t.value, best) ?? 0) - 4).toFixed(1)}v8`}
              stroke="var(--ink)"
              strokeWidth={1}
              opacity={0.75}
            />
          ),
      )}
      <text x={PAD} y={H - 1} fontSize={9} fill="var(--soft)">
        {figure(low)}
      </text>
      <text x={W - PAD} y={H - 1} fontSize={9} fill="var(--soft)" textAnchor="end">
        {figure(high)} {c.unit}
      </text>
    </svg>
  );
}

function Spread({ ticks, index, marks }: { ticks: Tick[]; index: number; marks: number[] }) {
  const x = (p: number) => PAD + (p / 100) * (W - 2 * PAD);
  const stacked = new Map<number, number>();
  const placed = ticks.map((t) => {
    const at = Math.round(t.points / 2) * 2;
    const n = stacked.get(at) ?? 0;
    stacked.set(at, n + 1);
    return { at, n };
  });
  const step = Math.min(5, 24 / Math.max(1, ...stacked.values()));
  const said = ticks.length
    ? `${counted(ticks.length, "edition")} from ${Math.round(Math.min(...ticks.map((t) => t.points)))} to ${Math.round(Math.max(...ticks.map((t) => t.points)))} points`
    : "no readings yet";
  return (
    <svg
      role="img"
      aria-label={`Points of the editions: ${said}`}
      viewBox={`0 0 ${W} 42`}
      width={W}
      height={42}
      className="block max-w-full"
    >
      <path d={`M${PAD} 30H${W - PAD}`} stroke="var(--rule)" />
      {[...new Set(marks)].map((m) => (
        <path key={m} d={`M${x(m)} 27v6`} stroke={hue(index)} strokeWidth={1.6} />
      ))}
      {placed.map((p, i) => (
        <path
          key={i}
          d={`M${x(p.at)} ${28 - p.n * step}v${-(step - 1)}`}
          stroke="var(--ink)"
          strokeWidth={2.2}
          opacity={0.75}
        />
      ))}
      <text x={PAD} y={41} fontSize={9} fill="var(--soft)">
        0
      </text>
      <text x={W - PAD} y={41} fontSize={9} fill="var(--soft)" textAnchor="end">
        100
      </text>
    </svg>
  );
}
