import type { Answer, Criterion, Reading } from "../../checklist";
import { decimal } from "../../decimal";
import { newID } from "../../ids";
import { listed } from "../../listed";

/** What is being typed for one criterion on one rig: the texts of the fields. */
export type Typed = {
  /** The id of the reading that this becomes; made here, so that sending twice does no harm. */
  id: string;
  grade: string;
  check: string;
  level: string;
  runs: string[];
  items: Record<string, string>;
  k: string;
  n: string;
  fact: string;
  /** What the fact was before, if not a text: it stays so, a list written with commas. */
  factSort?: "number" | "list";
  none: "" | "notTested" | "notApplicable";
  reason: string;
  adjust: string;
  adjustReason: string;
  disturbance: string;
  note: string;
  bound: "" | "about" | "at-least" | "at-most";
  /** Measured again after a restart. */
  repeat: boolean;
  /** The system state that it is made in. */
  system: string;
};

export const fates = ["worked", "workaround", "failed", "notTested"] as const;

/** The fields for a criterion, filled with the current reading, if any. */
export function fields(c: Criterion, standing?: Reading): Typed {
  const a = standing?.answer;
  const items: Record<string, string> = {};
  for (const fate of fates) for (const key of a?.count?.[fate] ?? []) items[key] = fate;
  const expected = Math.max(c.runs?.expect ?? 1, 1);
  const runs = (a?.runs ?? []).map(String);
  while (runs.length < expected) runs.push("");
  return {
    id: newID(),
    grade: a?.grade?.toString() ?? "",
    check: a?.check ?? "",
    level: a?.level ?? "",
    runs,
    items,
    k: a?.count?.k?.toString() ?? "",
    n: a?.count?.n?.toString() ?? "",
    ...factFields(a?.fact),
    none: a?.notTested ? "notTested" : a?.notApplicable ? "notApplicable" : "",
    reason: a?.notTested ?? a?.notApplicable ?? "",
    adjust: standing?.adjustment?.amount.toString() ?? "",
    adjustReason: standing?.adjustment?.reason ?? "",
    disturbance: standing?.disturbance ?? "",
    note: standing?.note ?? "",
    bound: (standing?.bound ?? "") as Typed["bound"],
    repeat: standing?.repeat ?? false,
    system: standing?.system ?? "",
  };
}

/** Words that are no number where a number belongs. */
export class NotANumber extends Error {}

function number(text: string): number {
  const x = decimal(text);
  if (x === undefined) throw new NotANumber(`“${text}” is not a number.`);
  return x;
}

/** A grade of 0 to 10: “7.5”, “7,5” or “7/10”. */
function grade(text: string): number {
  const [mark, of, more] = text.split("/");
  if (of === undefined) return number(mark);
  if (more !== undefined || number(of) <= 0) throw new NotANumber(`“${text}” is not a grade such as 7/10.`);
  return (10 * number(mark)) / number(of);
}

type Fact = NonNullable<Answer["fact"]>;

/** The field of a fact, and what it holds. */
function factFields(of: Answer["fact"]): Pick<Typed, "fact" | "factSort"> {
  if (of == null) return { fact: "" };
  if (typeof of === "number") return { fact: String(of), factSort: "number" };
  if (!Array.isArray(of)) return { fact: of };
  const plain = of.length > 0 && of.every((item) => item && !item.includes(",") && item.trim() === item);
  return plain ? { fact: of.join(", "), factSort: "list" } : { fact: JSON.stringify(of) };
}

/** The fact that the field holds: of the same sort as before if there was one, else a text, or a list as in JSON. */
function fact(t: Typed): Fact {
  const text = t.fact.trim();
  if (t.factSort === "list") return listed(text, ",");
  if (t.factSort === "number") return decimal(text) ?? text;
  return text.startsWith("[") ? (listOf(text) ?? text) : text;
}

/** A list of texts written as JSON; undefined if the text is not one. */
function listOf(text: string): string[] | undefined {
  try {
    const list: unknown = JSON.parse(text);
    return Array.isArray(list) && list.every((item) => typeof item === "string") ? list : undefined;
  } catch {
    return undefined;
  }
}

/** Units of one quantity, each in the first of them. */
const scales: Record<string, number>[] = [
  { s: 1, sec: 1, ms: 1e-3, us: 1e-6, µs: 1e-6, ns: 1e-9, min: 60, m: 60, h: 3600 },
  {
    MiB: 1,
    KiB: 1 / 1024,
    GiB: 1024,
    TiB: 2 ** 20,
    MB: 1e6 / 2 ** 20,
    GB: 1e9 / 2 ** 20,
    TB: 1e12 / 2 ** 20,
    kB: 1e3 / 2 ** 20,
    B: 1 / 2 ** 20,
  },
  { "frames/s": 1, fps: 1 },
];

/** One run as people write it, in the criterion's unit: “30.5”, “30,5”, “30 s”, “1.5min” or “0:30”. */
export function run(text: string, unit = ""): number {
  const said = text.trim();
  const clock = /^(\d+):(?:([0-5]?\d):)?([0-5]?\d(?:[.,]\d+)?)$/.exec(said);
  const plain = /^(.*\d)\s*([^\d\s.,]+)$/.exec(said);
  const [value, own] = clock
    ? [clock.slice(1).reduce<number>((sum, part) => (part === undefined ? sum : 60 * sum + number(part)), 0), "s"]
    : plain
      ? [number(plain[1]), plain[2]]
      : [number(said), ""];
  if (own === "" || own === unit) return value;
  const scale = scales.find((s) => s[own] && s[unit]);
  if (!scale)
    throw new NotANumber(`“${text}” is in ${own}; the answer is expected in ${unit || "a number without a unit"}.`);
  return (value * scale[own]) / scale[unit];
}

/** What a function reads of a text, nothing while it is not complete. */
const soFar = <T>(read: () => T): T[] => {
  try {
    return [read()];
  } catch {
    return [];
  }
};

/** The runs that can be read so far, in the criterion's unit. */
export const runsSoFar = (c: Criterion, t: Typed): number[] => t.runs.flatMap((r) => soFar(() => run(r, c.unit)));

/** The grade, if it can be read so far. */
export const gradeSoFar = (t: Typed): number | undefined => soFar(() => grade(t.grade))[0];

/**
 * The answer that the fields hold, or undefined where they are empty. Whether it fits is the
 * service's to say; here only what is no number at all is refused, by a NotANumber.
 */
export function answer(c: Criterion, t: Typed): Answer | undefined {
  if (t.none) return t.reason.trim() ? { [t.none]: t.reason.trim() } : undefined;
  switch (c.kind) {
    case "grade":
      return t.grade.trim() ? { grade: grade(t.grade) } : undefined;
    case "check":
      return t.check ? { check: t.check as "works" } : undefined;
    case "level":
      return t.level ? { level: t.level } : undefined;
    case "fact":
      return t.fact.trim() ? { fact: fact(t) } : undefined;
    case "measure": {
      const runs = t.runs.filter((r) => r.trim());
      return runs.length ? { runs: runs.map((r) => run(r, c.unit)) } : undefined;
    }
    case "count": {
      if (!c.items?.length) return t.k.trim() || t.n.trim() ? { count: { k: number(t.k), n: number(t.n) } } : undefined;
      const of = (fate: string) => c.items!.filter((i) => t.items[i.key] === fate).map((i) => i.key);
      const count = Object.fromEntries(fates.map((f) => [f, of(f)]).filter(([, keys]) => keys.length));
      return Object.keys(count).length ? { count } : undefined;
    }
    default:
      return c.kind satisfies never; // every kind has its answer
  }
}

export function adjustment(t: Typed) {
  return t.adjust.trim() ? { amount: number(t.adjust), reason: t.adjustReason.trim() } : undefined;
}
