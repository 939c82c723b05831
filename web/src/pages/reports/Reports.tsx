import { useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";
import { api, take } from "../../api";
import { Choice } from "../../components/Choice";
import { Frame } from "../../components/Frame";
import { Failure, Loading } from "../../components/States";
import { counted, day } from "../../numbers";
import { forWhom, useAudienceTitles, type Report } from "./reports";
import { sourceKey } from "../../keys";
import { useMay } from "../../session";
import { failed } from "../../failed";

/** Published reports, newest first; for the team also drafts. */
export default function ReportsPage() {
  const [search, setSearch] = useSearchParams();
  const audience = search.get("audience") ?? "";
  const series = search.get("series") ?? "";
  const year = search.get("year") ?? "";
  const reports = useQuery({
    queryKey: sourceKey("reports", audience, series, year),
    queryFn: () =>
      take(
        api.GET("/reports", {
          params: {
            query: { audience: audience || undefined, series: series || undefined, year: Number(year) || undefined },
          },
        }),
      ),
  });
  const all = useQuery({
    queryKey: sourceKey("reports", "all"),
    queryFn: () => take(api.GET("/reports", { params: { query: {} } })),
  });
  const may = useMay();
  const titles = useAudienceTitles();
  const allSeries = new Map(
    (all.data?.reports ?? []).filter((r) => r.series).map((r) => [r.series!, r.seriesTitle ?? r.series!]),
  );
  const years = [
    ...new Set(
      (all.data?.reports ?? [])
        .filter((r) => r.revisions.length > 0)
        .map((r) => r.revisions[r.revisions.length - 1].published.slice(0, 4)),
    ),
  ]
    .sort()
    .reverse();
  const choose = (name: string, value: string) =>
    setSearch(
      (old) => {
        const next = new URLSearchParams(old);
        if (value) next.set(name, value);
        else next.delete(name);
        return next;
      },
      { preventScrollReset: true },
    );
  const drafted = (all.data?.reports ?? []).filter((r) => r.drafted);
  const published = (reports.data?.reports ?? []).filter((r) => r.revisions.length > 0);
  return (
    <Frame title="Reports">
      <h1>Reports</h1>
      <p className="text-[13px] text-soft">
        A published report never changes. Mistakes are corrected openly, in a new revision. Newest first.
      </p>
      <p className="my-3 flex flex-wrap items-baseline gap-x-6 gap-y-2">
        <Choice
          label="For"
          value={audience}
          options={[
            { value: "", label: "anybody" },
            { value: "-", label: "everybody (default weights)" },
            ...[...titles].map(([value, label]) => ({ value, label })),
          ]}
          onChange={(v) => choose("audience", v)}
        />
        {allSeries.size > 0 && (
          <Choice
            label="Series"
            value={series}
            options={[{ value: "", label: "all" }, ...[...allSeries].map(([value, label]) => ({ value, label }))]}
            onChange={(v) => choose("series", v)}
          />
        )}
        {(years.length > 1 || year) && (
          <Choice
            label="Published in"
            value={year}
            options={[{ value: "", label: "any year" }, ...years.map((y) => ({ value: y, label: y }))]}
            onChange={(v) => choose("year", v)}
          />
        )}
        <a className="act" href={`/reports.atom${search.size ? `?${search}` : ""}`}>
          Feed
        </a>
        {may("write-reports") && (
          <Link className="main-act ml-auto" to="/reports/new">
            Start a report
          </Link>
        )}
      </p>
      {drafted.length > 0 && (
        <section className="mb-6">
          <h2 className="border-b border-ink pb-1">Drafts</h2>
          <ul>
            {drafted.map((r) => (
              <li key={r.key} className="border-b border-rule py-2">
                <Link className="font-serif text-[16px] font-semibold hover:underline" to={`/reports/${r.key}/edit`}>
                  {r.title}
                </Link>
                <span className="block text-[13px] text-soft">
                  {r.revisions.length ? `correction of revision ${r.revisions.length}` : "not published yet"} ·{" "}
                  {r.authors.join(", ")} · visible only to the team
                </span>
              </li>
            ))}
          </ul>
        </section>
      )}
      {drafted.length > 0 && <h2 className="border-b border-ink pb-1">Published</h2>}
      {reports.isPending ? (
        <Loading what="reports" />
      ) : failed(reports) ? (
        <Failure error={reports.error} again={() => reports.refetch()} />
      ) : published.length === 0 ? (
        <p className="my-6 text-soft">
          {audience || series || year
            ? "There is no published report for this filter."
            : "There are no published reports yet."}
        </p>
      ) : (
        <ul>
          {published.map((r) => (
            <Entry key={r.key} report={r} titles={titles} />
          ))}
        </ul>
      )}
    </Frame>
  );
}

function Entry({ report: r, titles }: { report: Report; titles: Map<string, string> }) {
  const newest = r.revisions[0];
  const first = r.revisions[r.revisions.length - 1];
  return (
    <li className="border-b border-rule py-3">
      <a className="font-serif text-[17px] font-semibold hover:underline" href={`/reports/${r.key}`}>
        {newest.title}
      </a>
      {newest.about && <span className="block max-w-[75ch]">{newest.about}</span>}
      <span className="block text-[13px] text-soft">
        {r.series && `${r.seriesTitle} ${r.number} · `}
        {day(first.published)} · {newest.authors.join(", ")} · for {forWhom(newest.audiences, titles)} ·{" "}
        {counted(newest.editions.length, "edition")} ·{" "}
        <Link className="act" to={`/reports/${r.key}/history`}>
          Revisions and downloads
        </Link>
      </span>
      {newest.erratum && (
        <span className="block text-[13px]">
          <span className="font-medium">Corrected {day(newest.published)}:</span> {newest.erratum.what}
        </span>
      )}
    </li>
  );
}
