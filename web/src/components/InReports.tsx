import { useQuery } from "@tanstack/react-query";
import { api, take } from "../api";
import { day } from "../numbers";
import { sourceKey } from "../keys";

/** The published reports that are about an edition; nothing where there are none. */
export function InReports({ edition }: { edition: string }) {
  const reports = useQuery({
    queryKey: sourceKey("reports", "about", edition),
    queryFn: () => take(api.GET("/reports", { params: { query: { edition } } })),
    staleTime: 60_000,
  });
  const all = reports.data?.reports ?? [];
  if (all.length === 0) return null;
  return (
    <section className="mt-6">
      <h2 className="border-b border-ink pb-1">In reports</h2>
      <ul>
        {all.map((r) => (
          <li key={r.key} className="py-1">
            <a className="act" href={`/reports/${r.key}`}>
              {r.title}
            </a>{" "}
            <span className="text-[13px] text-soft">{day(r.revisions[0].published)}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
