import { useSearchParams } from "react-router";

/** The names of the filters in addresses and in the API. */
export const narrowing = [
  "distribution",
  "family",
  "base",
  "model",
  "tier",
  "desktop",
  "purpose",
  "architecture",
  "profile",
  "rig",
  "rigClass",
  "only",
] as const;
const weights = ["sectionWeight", "criterionWeight", "rigWeight"] as const;
const single = ["audience", "checklist", "at", "releasedFrom", "releasedTo", "newest", "rigs", "ground"] as const;

type Change = Record<string, string | string[]>;

/** Each name gets its new values in place of those it had; none where they are empty. */
function change(address: URLSearchParams, to: Change) {
  for (const [name, value] of Object.entries(to)) {
    address.delete(name);
    for (const v of Array.isArray(value) ? value : [value]) if (v) address.append(name, v);
  }
}

/** A day means its end: everything that had happened by then. */
export const endOf = (day: string) => (/^\d{4}-\d\d-\d\d$/.test(day) ? `${day}T23:59:59Z` : day);

/** Through whose eyes, as of when, on which rigs and among whom a page looks, as its address says. */
export function useView() {
  const [search, setSearch] = useSearchParams();
  const set = (to: Change, replace = false) => {
    const next = new URLSearchParams(search);
    change(next, to);
    setSearch(next, { preventScrollReset: true, replace });
  };
  const one = (name: string) => search.get(name) ?? "";
  const many = (name: string) => (search.has(name) ? search.getAll(name) : undefined);
  const commonRigs = one("rigs") === "common";
  /** What the API's results are asked with. */
  const query = {
    audience: one("audience") || undefined,
    checklist: one("checklist") || undefined,
    at: one("at") ? endOf(one("at")) : undefined,
    commonRigs: commonRigs || undefined,
    newest: one("newest") === "true" || undefined,
    releasedFrom: one("releasedFrom") || undefined,
    releasedTo: one("releasedTo") || undefined,
    ...(Object.fromEntries([...narrowing, ...weights].map((n) => [n, many(n)]).filter(([, v]) => v)) as Partial<
      Record<(typeof narrowing)[number] | (typeof weights)[number], string[]>
    >),
  };
  const carries: readonly string[] = [...narrowing, ...weights, ...single];
  /** The parameters of a ranking and of results about one, which can include editions of earlier versions. */
  const ranked = { ...query, ground: one("ground") === "true" || undefined };
  /** The part of an address that carries the view on. */
  const carried = new URLSearchParams([...search].filter(([k]) => carries.includes(k))).toString();
  return {
    search,
    set,
    audience: one("audience"),
    commonRigs,
    checklist: one("checklist"),
    section: one("section"),
    criterion: one("criterion"),
    query,
    ranked,
    carry: carried ? `?${carried}` : "",
  };
}

export type View = ReturnType<typeof useView>;

/** An address with a view and more; what is named as nothing is left out. */
export function addressOf(path: string, view: View, more: Change = {}) {
  const to = new URLSearchParams(view.carry);
  change(to, more);
  return to.size ? `${path}?${to}` : path;
}
