import type { Criterion } from "../../checklist";

/**
 * Takes a pasted list of runs apart: one a line, or with spaces, semicolons or tabs
 * between them. A comma is a decimal comma, unless the numbers have points, or the
 * only commas are between them.
 */
export function parseList(text: string): string[] {
  const clean = text.trim();
  if (/[\s;]/.test(clean))
    return clean
      .split(/[\s;]+/)
      .map((t) => t.replace(/,$/, ""))
      .filter(Boolean);
  const parts = clean.split(",");
  if (parts.length > 2 || (parts.length === 2 && clean.includes("."))) return parts.filter(Boolean);
  return clean ? [clean] : [];
}

const median = (sorted: number[]) =>
  sorted.length % 2 ? sorted[(sorted.length - 1) / 2] : (sorted[sorted.length / 2 - 1] + sorted[sorted.length / 2]) / 2;

const ascending = (xs: number[]) => [...xs].sort((a, b) => a - b);

/** The value that runs come to, adjusted, by the criterion's summary; the service computes it again. */
export function summary(c: Criterion, runs: number[], offset: number): number {
  const xs = ascending(runs.map((x) => x - offset));
  if (c.runs?.summary === "mean") return xs.reduce((a, b) => a + b, 0) / xs.length;
  if (c.runs?.summary === "best") return c.better === "higher" ? xs.at(-1)! : xs[0];
  return median(xs);
}

/** How far runs scatter, relative to their median: half the range for two to four, 1.4826 · MAD for more. */
export function spread(runs: number[], offset: number): number | undefined {
  const xs = ascending(runs.map((x) => x - offset));
  const m = median(xs);
  if (xs.length < 2 || m === 0) return undefined;
  if (xs.length < 5) return (xs.at(-1)! - xs[0]) / (2 * Math.abs(m));
  return (1.4826 * median(ascending(xs.map((x) => Math.abs(x - m))))) / Math.abs(m);
}
