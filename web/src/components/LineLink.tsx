import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take } from "../api";
import { sourceKey } from "../keys";

/** The way to an edition's line, where there is another release on it to hold it against. */
export function LineLink({ edition, search }: { edition: string; search: string }) {
  const lines = useQuery({ queryKey: sourceKey("lines"), staleTime: 300_000, queryFn: () => take(api.GET("/lines")) });
  const line = lines.data?.lines.find((l) => l.releases.some((r) => r.edition === edition));
  const reviewed = line?.releases.filter((r) => r.checklists.length).length ?? 0;
  if (!line || reviewed < 2) return null;
  return (
    <Link className="act" to={`/lines/${line.distribution}/${line.line}${search}`}>
      History over {reviewed} releases
    </Link>
  );
}
