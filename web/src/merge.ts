type Plain = { [key: string]: unknown };

const isObject = (x: unknown): x is Plain => typeof x === "object" && x !== null && !Array.isArray(x);
const isKeyed = (x: unknown): x is Plain[] =>
  Array.isArray(x) && x.length > 0 && x.every((e) => isObject(e) && typeof (e.key ?? e.id ?? e.sha256) === "string");
const keyOf = (x: Plain) => (x.key ?? x.id ?? x.sha256) as string;

export function same(a: unknown, b: unknown): boolean {
  if (Array.isArray(a) && Array.isArray(b)) return a.length === b.length && a.every((x, i) => same(x, b[i]));
  if (isObject(a) && isObject(b)) {
    const keys = new Set([...Object.keys(a), ...Object.keys(b)]);
    return [...keys].every((k) => same(a[k], b[k]));
  }
  return a === b;
}

/**
 * Merges two changed copies of a document, field by field and, in lists of things
 * with keys, thing by thing. What both changed differently stays mine and is named
 * in conflicts.
 */
export function merge<T>(base: T, mine: T, theirs: T): { merged: T; conflicts: string[] } {
  const conflicts: string[] = [];
  return { merged: merged(base, mine, theirs, [], conflicts) as T, conflicts };
}

function merged(base: unknown, mine: unknown, theirs: unknown, path: string[], conflicts: string[]): unknown {
  if (same(mine, theirs) || same(base, theirs)) return mine;
  if (same(base, mine)) return theirs;
  if (isObject(mine) && isObject(theirs)) {
    const from = isObject(base) ? base : {};
    const out: Plain = {};
    for (const k of new Set([...Object.keys(theirs), ...Object.keys(mine)])) {
      const value = merged(from[k], mine[k], theirs[k], [...path, k], conflicts);
      if (value !== undefined) out[k] = value;
    }
    return out;
  }
  if ((isKeyed(mine) || isKeyed(theirs)) && Array.isArray(mine) && Array.isArray(theirs))
    return mergedLists(Array.isArray(base) ? base : [], mine, theirs, path, conflicts);
  conflicts.push(path.join(" › "));
  return mine;
}

function mergedLists(base: Plain[], mine: Plain[], theirs: Plain[], path: string[], conflicts: string[]): Plain[] {
  const find = (list: Plain[], key: string) => list.find((x) => keyOf(x) === key);
  const out: Plain[] = [];
  for (const key of new Set([...mine, ...theirs].map(keyOf))) {
    const [b, m, t] = [find(base, key), find(mine, key), find(theirs, key)];
    if (m && t) out.push(merged(b, m, t, [...path, key], conflicts) as Plain);
    else if (m && !b) out.push(m);
    else if (t && !b) out.push(t);
    else if (m && !same(m, b)) {
      conflicts.push(`${[...path, key].join(" › ")} (removed by somebody else, changed by you)`);
      out.push(m);
    } else if (t && !same(t, b)) {
      conflicts.push(`${[...path, key].join(" › ")} (removed by you, changed by somebody else)`);
      out.push(t);
    }
  }
  return out;
}
