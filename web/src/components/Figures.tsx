import type { Schemas } from "../api";
import { score, whole } from "../numbers";

/** The hue of a section: by its place in the checklist, the same everywhere. */
export const hue = (index: number) => `var(--section-${(index % 8) + 1})`;

/** A score as a dot on a scale from 0 to 100, its possible range as a bar through it. */
export function ScoreDot({ value, low, high }: { value?: number | null; low?: number | null; high?: number | null }) {
  const x = (v: number) => 4 + v * 1.92;
  return (
    <svg viewBox="0 0 200 16" className="block h-4 w-full min-w-[90px]" preserveAspectRatio="none" aria-hidden="true">
      <path d="M4 8H196" stroke="var(--rule)" vectorEffect="non-scaling-stroke" />
      {[25, 50, 75].map((t) => (
        <path key={t} d={`M${x(t)} 5v6`} stroke="var(--rule)" vectorEffect="non-scaling-stroke" />
      ))}
      {low != null && high != null && high - low > 0.05 && (
        <rect x={x(low)} y={5.5} width={x(high) - x(low)} height={5} fill="var(--accent)" opacity={0.6} />
      )}
      {value != null && (
        <path
          d={`M${x(value)} 8h0.01`}
          stroke="var(--ink)"
          strokeWidth={9}
          strokeLinecap="round"
          vectorEffect="non-scaling-stroke"
        />
      )}
    </svg>
  );
}

/** The scale above a column of dots. */
export function DotScale() {
  return (
    <span className="flex justify-between text-[11px]" aria-hidden="true">
      <span>0</span>
      <span>50</span>
      <span>100</span>
    </span>
  );
}

/** A section's score as a figure with a short bar of the section's hue below. */
export function SectionBar({ value, index }: { value?: number | null; index: number }) {
  return (
    <span className="block">
      <span className="block leading-[18px]">{whole(value)}</span>
      <span className="block h-[3px] bg-wash">
        {value != null && <span className="block h-full" style={{ width: `${value}%`, background: hue(index) }} />}
      </span>
    </span>
  );
}

/** A small square of a section's hue, beside its name. */
export function SectionMark({ index }: { index: number }) {
  return <span aria-hidden="true" className="mr-1.5 inline-block h-2.5 w-2.5" style={{ background: hue(index) }} />;
}

const shapes = [
  "M-5 0a5 5 0 1 0 10 0a5 5 0 1 0-10 0",
  "M-4.5-4.5h9v9h-9z",
  "M0-6 5.5 4.5h-11z",
  "M0-6 6 0 0 6-6 0z",
  "M0 6 5.5-4.5h-11z",
  "M-2-5.5h4v3.5h3.5v4h-3.5v3.5h-4v-3.5h-3.5v-4h3.5z",
];
// Six shapes, filled and hollow: as many marks as editions can be compared.
const hollow = (index: number) => index % 2 === (index % 12 < shapes.length ? 1 : 0);

function Mark({ index }: { index: number }) {
  return (
    <svg width={14} height={14} viewBox="-7 -7 14 14" className="block" aria-hidden="true">
      <path
        d={shapes[index % shapes.length]}
        fill={hollow(index) ? "var(--paper)" : "var(--ink)"}
        stroke="var(--ink)"
        strokeWidth="1.6"
      />
    </svg>
  );
}

/** The mark of the nth edition compared: a shape of its own. */
export function EditionMark({ index }: { index: number }) {
  return (
    <span className="mr-1 inline-block align-[-2px]">
      <Mark index={index} />
    </span>
  );
}

/** One line for the overall score and each section, with a mark for each edition on a scale of 0–100. */
export function SectionDots({
  sections,
  cards,
}: {
  sections: Schemas["Heading"]["sections"];
  cards: { name: string; card: Schemas["Scorecard"] }[];
}) {
  const lines = [
    {
      name: "Overall",
      hue: "var(--ink)",
      values: cards.map(({ card }) => ({ score: card.overall, low: card.low, high: card.high })),
    },
    ...sections.map((s, i) => ({
      name: s.title,
      hue: hue(i),
      values: cards.map(({ card }) => card.sections[i] ?? {}),
    })),
  ];
  const said = lines
    .map(
      (l) =>
        `${l.name}: ${cards.map((c, i) => `${c.name} ${score(l.values[i].score)}${open(l.values[i]) ? `, possible ${score(l.values[i].low)} to ${score(l.values[i].high)}` : ""}`).join(", ")}`,
    )
    .join("; ");
  const ranges = lines.some((l) => l.values.some(open));
  return (
    <div
      role="img"
      aria-label={`Scores from 0 to 100. ${said}`}
      className="grid max-w-[760px] grid-cols-[6.5rem_1fr] items-center gap-x-3 pr-3"
    >
      {lines.map((l, i) => (
        <div key={l.name} className="col-span-2 grid h-8 grid-cols-subgrid items-center">
          <span style={{ color: l.hue, fontWeight: i === 0 ? 600 : 400 }}>{l.name}</span>
          <span className="relative block h-4">
            <span className="absolute top-2 right-0 left-0 block border-t border-rule" />
            {ticks.map((t) => (
              <span key={t} className="absolute top-1 block h-2 border-l border-rule" style={{ left: `${t}%` }} />
            ))}
            {l.values.map(
              (v, n) =>
                open(v) && (
                  <span
                    key={`range ${cards[n].name}`}
                    className="absolute block h-[2px] bg-accent"
                    style={{
                      left: `${v.low}%`,
                      width: `${v.high! - v.low!}%`,
                      top: 7 + Math.min(3, 9 / l.values.length) * (n - (l.values.length - 1) / 2),
                    }}
                  />
                ),
            )}
            {l.values.map(
              (v, n) =>
                v.score != null && (
                  <span
                    key={cards[n].name}
                    className="absolute top-[1px] -ml-[7px] block"
                    style={{ left: `${v.score}%` }}
                  >
                    <Mark index={n} />
                  </span>
                ),
            )}
          </span>
        </div>
      ))}
      <span className="relative col-start-2 block h-5 text-[11px] text-soft">
        {ticks.map((t) => (
          <span key={t} className="absolute -translate-x-1/2 whitespace-nowrap" style={{ left: `${t}%` }}>
            {t}
          </span>
        ))}
      </span>
      {ranges && (
        <p className="col-span-2 text-[12px] text-soft">
          The bar shows how low and how high a score can still become while criteria are untested.
        </p>
      )}
    </div>
  );
}

const ticks = [0, 25, 50, 75, 100];

type Reach = { score?: number | null; low?: number | null; high?: number | null };

/** Whether a score could still become visibly another. */
const open = (r: Reach) => r.low != null && r.high != null && r.high - r.low > 0.05;
