import type { Checklist } from "../../checklist";

export type Shares = Record<string, number>;

/** Shares of 1 by key, from weights by key. */
export function sharesOf(weights: [string, number][]): Shares {
  const sum = weights.reduce((a, [, w]) => a + w, 0);
  return Object.fromEntries(weights.map(([k, w]) => [k, sum > 0 ? w / sum : 0]));
}

/** The shares after one of them moves; the others keep their proportions. */
export function moved(shares: Shares, key: string, to: number): Shares {
  const t = Math.min(Math.max(to, 0), 1);
  const others = Object.keys(shares).filter((k) => k !== key);
  const rest = others.reduce((sum, k) => sum + shares[k], 0);
  return Object.fromEntries(
    Object.entries(shares).map(([k, s]) => {
      if (k === key) return [k, t];
      return [k, rest > 1e-9 ? (s / rest) * (1 - t) : (1 - t) / others.length];
    }),
  );
}

/** A share as the weight that an address holds: of 100, short, and exact enough to come back as it was. */
export const written = (share: number) => String(Math.round(share * 1e6) / 1e4);

/** Weights as addresses hold them, KEY=N. */
export const pairs = (shares: Shares) => Object.entries(shares).map(([k, s]) => `${k}=${written(s)}`);

export function parsedPairs(values: string[]): Map<string, number> {
  return new Map(
    values.map((v) => {
      const at = v.lastIndexOf("=");
      return [v.slice(0, at), Number(v.slice(at + 1))] as const;
    }),
  );
}

type Audience = { sections?: Record<string, number>; criteria?: Record<string, number> } | undefined;

/** The weights of the sections: the address's, else the audience's, else the list's. */
export function sectionShares(list: Checklist, audience: Audience, own: Map<string, number>): Shares {
  return sharesOf(list.sections.map((s) => [s.key, own.get(s.key) ?? audience?.sections?.[s.key] ?? s.weight]));
}

export function criterionShares(
  section: Checklist["sections"][number],
  audience: Audience,
  own: Map<string, number>,
): Shares {
  return sharesOf(
    section.criteria
      .filter((c) => c.kind !== "fact")
      .map((c) => [c.key, own.get(c.key) ?? audience?.criteria?.[c.key] ?? c.weight ?? 0]),
  );
}
