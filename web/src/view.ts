import { useSearchParams } from "react-router";

/** Through whose eyes a page looks, as its address says. */
export function useView() {
  const [search, setSearch] = useSearchParams();
  const set = (change: Record<string, string | string[]>) => {
    const next = new URLSearchParams(search);
    for (const [name, value] of Object.entries(change)) {
      next.delete(name);
      for (const v of Array.isArray(value) ? value : [value]) if (v) next.append(name, v);
    }
    setSearch(next, { preventScrollReset: true });
  };
  const audience = search.get("audience") ?? "";
  const commonRigs = search.get("rigs") === "common";
  const checklist = search.get("checklist") ?? "";
  const section = search.get("section") ?? "";
  /** What the API's results are asked with. */
  const query = { audience: audience || undefined, commonRigs: commonRigs || undefined, checklist: checklist || undefined };
  /** The part of an address that carries the view on. */
  const carried = new URLSearchParams([...search].filter(([k]) => k === "audience" || k === "rigs" || k === "checklist")).toString();
  return { search, set, audience, commonRigs, checklist, section, query, carry: carried ? `?${carried}` : "" };
}
