/** The tally mark, our sign: four strokes and a slash. */
export function TallyMark({ size = 28 }: { size?: number }) {
  return (
    <svg width={size} height={size * 0.75} viewBox="0 0 32 24" aria-hidden="true">
      <g stroke="currentColor" strokeWidth="2.4">
        <path d="M7 2v20M12.7 2v20M18.3 2v20M24 2v20" />
      </g>
      <path d="M1 18.5 30 6" stroke="var(--head-accent)" strokeWidth="2.6" />
    </svg>
  );
}

/** Counts a small whole number in tally strokes; what is still to come stands faint. */
export function TallyCount({ done, of, label }: { done: number; of: number; label: string }) {
  const groups = Array.from({ length: Math.ceil(of / 5) }, (_, g) => g);
  return (
    <svg role="img" aria-label={label} width={groups.length * 25 + 2} height={16} className="block text-ink">
      {groups.map((g) => (
        <g key={g} transform={`translate(${g * 25 + 3} 1)`} strokeWidth="1.8">
          {[0, 1, 2, 3].map((i) => {
            const n = g * 5 + i;
            return n < of ? (
              <path key={i} d={`M${i * 4.6 + 1.5} 1v12`} stroke="currentColor" opacity={n < done ? 1 : 0.25} />
            ) : null;
          })}
          {g * 5 + 4 < of && <path d="M-2.5 11.5 19.5 3" stroke="var(--accent)" opacity={g * 5 + 4 < done ? 1 : 0.3} />}
        </g>
      ))}
    </svg>
  );
}
