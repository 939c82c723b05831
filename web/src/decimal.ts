/** A number as people write it, and no other that JavaScript knows, such as 0x10. */
const written = /^[+-]?(\d+[.,]?\d*|[.,]\d+)(e[+-]?\d+)?$/i;

/** The largest number that can be entered, as for the service and the client. */
const largest = 1e300;

/** Reads a number with a decimal point or comma; undefined if the text is not one. */
export function decimal(text: string): number | undefined {
  const plain = text.trim();
  if (!written.test(plain)) return undefined;
  const x = Number(plain.replace(",", "."));
  return Math.abs(x) <= largest ? x : undefined;
}
