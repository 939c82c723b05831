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
      {low != null && high != null && high - low > 0.05 && <rect x={x(low)} y={5.5} width={x(high) - x(low)} height={5} fill="var(--accent)" opacity={0.6} />}
      {value != null && <path d={`M${x(value)} 8h0.01`} stroke="var(--ink)" strokeWidth={11} strokeLinecap="round" vectorEffect="non-scaling-stroke" />}
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
      <span className="block h-[3px] bg-wash">{value != null && <span className="block h-full" style={{ width: `${value}%`, background: hue(index) }} />}</span>
    </span>
  );
}

/** A small square of a section's hue, beside its name. */
export function SectionMark({ index }: { index: number }) {
  return <span aria-hidden="true" className="mr-1.5 inline-block h-2.5 w-2.5" style={{ background: hue(index) }} />;
}

const shapes = ["M-5 0a5 5 0 1 0 10 0a5 5 0 1 0-10 0", "M-4.5-4.5h9v9h-9z", "M0-6 5.5 4.5h-11z", "M0-6 6 0 0 6-6 0z"];

/** The mark of the nth edition compared: a shape of its own. */
export function EditionMark({ index }: { index: number }) {
  return (
    <svg width={14} height={14} viewBox="-7 -7 14 14" className="mr-1 inline-block align-[-2px]" aria-hidden="true">
      <path d={shapes[index % shapes.length]} fill={index % 2 ? "var(--paper)" : "var(--ink)"} stroke="var(--ink)" strokeWidth="1.6" />
    </svg>
  );
}

/** One line for the overall score and each section, with a mark for each edition on a scale of 0–100. */
export function SectionDots({ sections, cards }: { sections: Schemas["Heading"]["sections"]; cards: { name: string; card: Schemas["Scorecard"] }[] }) {
  const lines = [
    { name: "Overall", values: cards.map((c) => c.card.overall) },
    ...sections.map((s, i) => ({ name: s.title, values: cards.map((c) => c.card.sections[i]?.score ?? null) })),
  ];
  const row = 34;
  const left = 110;
  const x = (v: number) => left + v * 5.6;
  const said = lines.map((l) => `${l.name}: ${cards.map((c, i) => `${c.name} ${score(l.values[i])}`).join(", ")}`).join("; ");
  return (
    <svg role="img" aria-label={`Scores from 0 to 100. ${said}`} viewBox={`0 0 690 ${lines.length * row + 22}`} className="w-full max-w-[760px] min-w-[560px]" fontSize="13" fill="var(--ink)">
      {lines.map((l, i) => (
        <g key={l.name} transform={`translate(0 ${i * row + 18})`}>
          <text y={4} fontWeight={i === 0 ? 600 : 400} fill={i === 0 ? "var(--ink)" : hue(i - 1)}>
            {l.name}
          </text>
          <path d={`M${x(0)} 0H${x(100)}`} stroke="var(--rule)" />
          {[0, 25, 50, 75, 100].map((t) => (
            <path key={t} d={`M${x(t)}-4v8`} stroke="var(--rule)" />
          ))}
          {l.values.map((v, n) => v != null && <path key={cards[n].name} transform={`translate(${x(v)} 0)`} d={shapes[n % shapes.length]} fill={n % 2 ? "var(--paper)" : "var(--ink)"} stroke="var(--ink)" strokeWidth="1.6" />)}
        </g>
      ))}
      {[0, 25, 50, 75, 100].map((t) => (
        <text key={t} x={x(t)} y={lines.length * row + 16} textAnchor="middle" fontSize="11" fill="var(--soft)">
          {t}
        </text>
      ))}
    </svg>
  );
}

