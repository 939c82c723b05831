/** How many seconds the units of time have that people read off a watch or a recording. */
export const secondsPer: Record<string, number> = { ms: 1e-3, s: 1, min: 60 };

/** Whether a unit is one of these. */
export const isTimed = (unit: string | undefined) => !!unit && unit in secondsPer;
