/** Rounds half away from zero, as every figure of the product is. */
export function rounded(x: number, decimals: number): string {
  const scale = 10 ** decimals;
  const shown = (Math.sign(x) * Math.round(Math.abs(x) * scale)) / scale;
  return (Object.is(shown, -0) ? 0 : shown).toFixed(decimals).replace("-", "−");
}

export const none = "–";

type Maybe = number | null | undefined;

/** A score or points with one decimal. */
export const score = (x: Maybe) => (x == null ? none : rounded(x, 1));

export const whole = (x: Maybe) => (x == null ? none : rounded(x, 0));

export const percent = (x: number) => `${rounded(100 * x, 0)} %`;

/** A measured value with three to four figures, a small one with three. */
export function figure(x: Maybe): string {
  if (x == null) return none;
  const size = Math.abs(x);
  if (size >= 1 || size === 0) return rounded(x, size >= 100 ? 0 : size >= 10 ? 1 : 2);
  return size < 1e-6 ? x.toExponential(2).replace("-", "−") : rounded(x, 2 - Math.floor(Math.log10(size)));
}

/** A difference: its sign always. */
export function signed(x: Maybe): string {
  if (x == null) return none;
  const text = rounded(x, Math.abs(x) >= 100 ? 0 : 1);
  return x >= 0 ? `+${text}` : text;
}

/** A difference in percent of the baseline; beyond 1,000 % how many times the baseline it is. */
export function change(percent: Maybe): string {
  if (percent == null) return none;
  return Math.abs(percent) > 1000 ? `${figure(percent / 100 + 1)} times` : `${signed(percent)} %`;
}

/** A point in time with its zone. */
export function moment(iso: string): string {
  return `${new Date(iso).toLocaleString("en-GB", {
    day: "numeric",
    month: "short",
    year: "numeric",
    hour: "2-digit",
    minute: "2-digit",
    timeZone: "UTC",
  })} UTC`;
}

/** A day without a time. */
export function day(iso: string): string {
  return new Date(iso).toLocaleDateString("en-GB", {
    day: "numeric",
    month: "short",
    year: "numeric",
    timeZone: "UTC",
  });
}

/**
 * Shares of 1 in percent, so that what stands there sums to 100: whole numbers
 * where all are whole, else one decimal, rounded where it is least wrong.
 */
export function sharesText(shares: number[]): string[] {
  const decimals = shares.every((s) => Math.abs(100 * s - Math.round(100 * s)) < 1e-9) ? 0 : 1;
  const unit = 100 * 10 ** decimals;
  const parts = shares.map((s) => Math.floor(unit * s + 1e-9));
  const sum = shares.reduce((a, b) => a + b, 0);
  if (Math.abs(sum - 1) < 1e-9) {
    const order = shares
      .map((_, i) => i)
      .sort((a, b) => unit * shares[b] - parts[b] - (unit * shares[a] - parts[a]) || a - b);
    for (let left = unit - parts.reduce((a, b) => a + b, 0), i = 0; left > 0; left--, i++)
      parts[order[i % order.length]]++;
  }
  return parts.map((p) => `${(p / 10 ** decimals).toFixed(decimals)} %`);
}
