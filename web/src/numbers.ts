// Figures are written as the browser's language does, their digits in one piece, as everywhere else.
const formats = new Map<number, Intl.NumberFormat>();

function format(decimals: number): Intl.NumberFormat {
  let f = formats.get(decimals);
  if (!f) {
    f = new Intl.NumberFormat(undefined, {
      minimumFractionDigits: decimals,
      maximumFractionDigits: decimals,
      useGrouping: false,
    });
    formats.set(decimals, f);
  }
  return f;
}

/** Rounds half away from zero, as every figure of the product is, and writes it as the reader does. */
export function rounded(x: number, decimals: number): string {
  const scale = 10 ** decimals;
  const shown = (Math.sign(x) * Math.round(Math.abs(x) * scale)) / scale;
  return format(decimals)
    .format(Object.is(shown, -0) ? 0 : shown)
    .replace("-", "−");
}

const counts = new Intl.NumberFormat();

/** A number of things. */
export const count = (n: number) => counts.format(n);

/** How many there are of something: "1 run", "2 runs". */
export const counted = (n: number, noun: string, nouns = `${noun}s`) => `${count(n)} ${n === 1 ? noun : nouns}`;

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
  return size < 1e-6 ? x.toExponential(2).replaceAll("-", "−") : rounded(x, 2 - Math.floor(Math.log10(size)));
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

const date = { day: "numeric", month: "short", year: "numeric" } as const;
const moments = new Intl.DateTimeFormat(undefined, {
  ...date,
  hour: "2-digit",
  minute: "2-digit",
  timeZoneName: "short",
});
const days = new Intl.DateTimeFormat(undefined, date);
const plainDays = new Intl.DateTimeFormat(undefined, { ...date, timeZone: "UTC" });
const clocks = new Intl.DateTimeFormat(undefined, { hour: "2-digit", minute: "2-digit", timeZoneName: "short" });
const exactClocks = new Intl.DateTimeFormat(undefined, {
  hour: "2-digit",
  minute: "2-digit",
  second: "2-digit",
  timeZoneName: "short",
});

/** A point in time, in the reader's zone, which it names. */
export const moment = (iso: string) => moments.format(new Date(iso));

/** The time of the day in the reader's zone. */
export const clock = (at: Date) => clocks.format(at);

/** The same with seconds. */
export const exactClock = (at: Date) => exactClocks.format(at);

/** A day without a time: the day itself, or the one that it was in the reader's zone. */
export const day = (iso: string) => (iso.includes("T") ? days : plainDays).format(new Date(iso));

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
  return parts.map((p) => `${format(decimals).format(p / 10 ** decimals)} %`);
}
