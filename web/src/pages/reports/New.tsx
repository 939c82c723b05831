import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { api, take } from "../../api";
import { Choice } from "../../components/Choice";
import { Ends } from "../../components/Ends";
import { TextField } from "../../components/Fields";
import { Frame } from "../../components/Frame";
import { Empty } from "../../components/States";
import { outdated, sourceKey } from "../../keys";
import { useMay } from "../../session";
import { useDraft } from "../../drafts";
import { keyOf } from "../../slug";

/** Begins a report; what it is about is chosen while writing. */
export default function NewReportPage() {
  const [search] = useSearchParams();
  const may = useMay();
  const [title, setTitle, dropTitle] = useDraft("title", "");
  const [key, setKey] = useState<string>();
  const [series, setSeries] = useState("");
  const [seriesTitle, setSeriesTitle, dropSeries] = useDraft("series", "");
  const known = useQuery({
    queryKey: sourceKey("reports", "all"),
    queryFn: () => take(api.GET("/reports", { params: { query: {} } })),
  });
  const all = new Map(
    (known.data?.reports ?? []).filter((r) => r.series).map((r) => [r.series!, r.seriesTitle ?? r.series!]),
  );
  const navigate = useNavigate();
  const queries = useQueryClient();
  const inAddress = key ?? keyOf(title);
  const begin = useMutation({
    mutationFn: () => {
      const editions = search.getAll("edition");
      const audience = search.get("audience");
      const own = series === "new" ? { series: keyOf(seriesTitle), seriesTitle } : series ? { series } : {};
      return take(
        api.POST("/reports", {
          body: {
            key: inAddress,
            ...own,
            spec: {
              title,
              audiences: [audience ?? ""],
              ...(editions.length ? { editions } : { group: { newest: true } }),
              baseline: search.get("baseline") ?? undefined,
              parts: [],
            },
          },
        }),
      );
    },
    onSuccess: (r) => {
      dropTitle();
      dropSeries();
      outdated(queries, "reports");
      navigate(`/reports/${r.key}/edit`);
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    begin.mutate();
  };
  return (
    <Frame title="Start a report">
      <h1>Start a report</h1>
      {!may("write-reports") ? (
        <Empty>This account cannot write reports.</Empty>
      ) : (
        <form onSubmit={submit} className="mt-3 grid max-w-xl gap-4">
          <TextField label="Title" value={title} onChange={setTitle} />
          <TextField
            label="Key"
            hint="part of the address for readers; cannot be changed"
            value={inAddress}
            onChange={setKey}
          />
          <p>
            <Choice
              label="Series"
              value={series}
              options={[
                { value: "", label: "none" },
                ...[...all].map(([value, label]) => ({ value, label })),
                { value: "new", label: "a new series" },
              ]}
              onChange={setSeries}
            />
          </p>
          {series === "new" && <TextField label="Title of the series" value={seriesTitle} onChange={setSeriesTitle} />}
          <p className="text-[13px] text-soft">
            {search.getAll("edition").length
              ? `It starts with the ${search.getAll("edition").length} editions that you compared.`
              : "It starts with the newest release of each line."}{" "}
            You can change both while you write.
          </p>
          <Ends act="Start writing" main pending={begin.isPending || !title.trim()} error={begin.error} />
        </form>
      )}
    </Frame>
  );
}
