import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, take, type Schemas } from "../../api";
import { Choice } from "../../components/Choice";
import { Ends } from "../../components/Ends";
import { TextField } from "../../components/Fields";
import { Frame } from "../../components/Frame";
import { Sideways } from "../../components/Sideways";
import { Failure, Loading } from "../../components/States";
import { counted, day, moment } from "../../numbers";
import { forWhom, useAudienceTitles, useReport, type Report } from "./reports";
import { outdated, sourceKey } from "../../keys";
import { useMay, useSession } from "../../session";
import { useDraft } from "../../drafts";
import { failed } from "../../failed";

/** The revisions of a report with their files, and for the team how the records have moved since. */
export default function HistoryPage() {
  const { key = "" } = useParams();
  const report = useReport(key);
  const session = useSession();
  const titles = useAudienceTitles();
  const may = useMay();
  if (report.isPending)
    return (
      <Frame title="Report">
        <Loading what="the report" />
      </Frame>
    );
  if (failed(report))
    return (
      <Frame title="Report">
        <Failure error={report.error} again={() => report.refetch()} />
      </Frame>
    );
  const r = report.data;
  return (
    <Frame title={r.title}>
      <h1>{r.title}</h1>
      <p className="text-[13px] text-soft">
        {r.series ? `${r.seriesTitle}, number ${r.number} · ` : ""}
        {r.authors.join(", ")}
      </p>
      <p className="my-3 flex flex-wrap gap-x-6 gap-y-2">
        {r.revisions.length > 0 && (
          <a className="act" href={`/reports/${r.key}`}>
            Read it
          </a>
        )}
        {r.drafted && (
          <Link className="act" to={`/reports/${r.key}/edit`}>
            Continue writing
          </Link>
        )}
        {may("see-history") && (
          <Link className="act" to={`/team/audit?sort=report&subject=${r.key}`}>
            History
          </Link>
        )}
      </p>
      {session.data?.signedIn && r.revisions.length > 0 && <Since report={r} titles={titles} />}
      {r.revisions.map((x) => (
        <Revision
          key={x.revision}
          of={r.key}
          revision={x}
          titles={titles}
          newest={x.revision === r.revisions[0].revision}
        />
      ))}
      {r.revisions.length === 0 && <p className="text-soft">Nothing is published yet.</p>}
    </Frame>
  );
}

const formOf: Record<string, string> = {
  "report.html": "page",
  "report.json": "JSON",
  "bundle.json": "bundle",
  "report.md": "Markdown",
  "tables.zip": "tables as CSV",
  "report.xlsx": "spreadsheet",
};

const kib = (n: number) =>
  n >= 1 << 20 ? `${(n / (1 << 20)).toFixed(1)} MiB` : `${Math.max(1, Math.round(n / 1024))} KiB`;

function Revision({
  of,
  revision: x,
  titles,
  newest,
}: {
  of: string;
  revision: Schemas["ReportRevision"];
  titles: Map<string, string>;
  newest: boolean;
}) {
  const forms = x.files.filter((f) => formOf[f.name]);
  const figures = x.files.filter((f) => f.name.startsWith("figures/") && f.name.endsWith(".svg"));
  /** The same figure as pictures. */
  const drawn = (svg: string) =>
    x.files.filter(
      (f) =>
        svg.endsWith(".svg") && (f.name === svg.replace(".svg", ".png") || f.name === svg.replace(".svg", "-dark.png")),
    );
  return (
    <section className="mt-6">
      <h2 className="border-b border-ink pb-1">
        Revision {x.revision}
        {newest ? "" : ", corrected since"}
      </h2>
      <p className="text-[13px] text-soft">
        Published {moment(x.published)} by {x.authors.join(", ")} · {x.checklist} · for {forWhom(x.audiences, titles)} ·{" "}
        {counted(x.editions.length, "edition")}
      </p>
      {x.erratum && (
        <p className="my-2 max-w-[75ch] border-l-2 border-accent pl-3">
          <span className="font-medium">Corrects:</span> {x.erratum.what} {x.erratum.why}
        </p>
      )}
      {!newest && (
        <p className="my-1">
          <a className="act" href={`/reports/${of}/revision/${x.revision}`}>
            Read revision {x.revision} as it was
          </a>
        </p>
      )}
      <Sideways label={`Files of revision ${x.revision}`}>
        <table className="ledger max-w-[900px]">
          <thead>
            <tr>
              <th className="margin stay">File</th>
              <th className="num">Size</th>
              <th>SHA-256</th>
            </tr>
          </thead>
          <tbody>
            {[...forms, ...figures].map((f) => (
              <tr key={f.name}>
                <th scope="row" className="margin stay">
                  <a className="act" href={f.address} download={f.name.split("/").pop()}>
                    {formOf[f.name] ?? f.name.replace("figures/", "figure ")}
                  </a>
                  {drawn(f.name).map((p) => (
                    <a
                      key={p.name}
                      className="act ml-2 text-[13px]"
                      href={p.address}
                      download={p.name.split("/").pop()}
                    >
                      {p.name.endsWith("-dark.png") ? "PNG, dark" : "PNG"}
                    </a>
                  ))}
                </th>
                <td className="num">{kib(f.size)}</td>
                <td className="text-[12px] text-soft">{f.sha256}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </Sideways>
    </section>
  );
}

/** What would come out now, and the way to a correction. */
function Since({ report: r, titles }: { report: Report; titles: Map<string, string> }) {
  const moved = useQuery({
    queryKey: sourceKey("reportMoved", r.key),
    queryFn: () => take(api.GET("/reports/{report}/moved", { params: { path: { report: r.key } } })),
  });
  const lead = r.may.includes("correct");
  const [correcting, setCorrecting] = useState(false);
  if (moved.isPending) return <Loading what="changes since publication" />;
  if (failed(moved)) return <Failure error={moved.error} again={() => moved.refetch()} />;
  const says = moved.data.views.flatMap((v) => v.says.map((s) => ({ audience: v.audience, says: s })));
  return (
    <section className="my-4 max-w-[80ch] border-l-2 border-accent pl-4">
      <h2>
        {moved.data.failed
          ? "It cannot be computed from the current records"
          : says.length + moved.data.gone.length
            ? "The data has changed since"
            : "The data has not changed since"}
      </h2>
      {moved.data.failed && <p>{moved.data.failed}</p>}
      {says.length + moved.data.gone.length === 0 && !moved.data.failed && (
        <p className="text-soft">The figures would be the same today.</p>
      )}
      <ul>
        {says.map((s) => (
          <li key={s.audience + s.says}>
            {s.says} <span className="text-[13px] text-soft">for {forWhom([s.audience], titles)}</span>
          </li>
        ))}
        {moved.data.gone.map((e) => (
          <li key={e}>{e} no longer has an accepted review</li>
        ))}
      </ul>
      <p className="mt-1 text-[13px] text-soft">What was published stays as it is.</p>
      {lead &&
        !r.drafted &&
        (correcting ? (
          <Correct report={r} leave={() => setCorrecting(false)} />
        ) : (
          <button type="button" className="act mt-2" onClick={() => setCorrecting(true)}>
            Start a correction
          </button>
        ))}
    </section>
  );
}

/** What a correction is to say; readers' suggestions about the report can be named. */
function Correct({ report: r, leave }: { report: Report; leave: () => void }) {
  const [what, setWhat, dropWhat] = useDraft("correction, what", "");
  const [why, setWhy, dropWhy] = useDraft("correction, why", "");
  const [suggestion, setSuggestion] = useState("");
  const [reader, setReader] = useState("");
  const navigate = useNavigate();
  const queries = useQueryClient();
  const sent = useQuery({ queryKey: sourceKey("suggestions"), queryFn: () => take(api.GET("/suggestions")) });
  const about = (sent.data?.suggestions ?? []).filter((s) => s.subject === `report/${r.key}`);
  const begin = useMutation({
    mutationFn: () =>
      take(
        api.POST("/reports/{report}/correction", {
          params: { path: { report: r.key } },
          body: { what, why, suggestion: suggestion || undefined, reader: reader || undefined },
        }),
      ),
    onSuccess: () => {
      dropWhat();
      dropWhy();
      outdated(queries, sourceKey("report", r.key));
      outdated(queries, "reports");
      navigate(`/reports/${r.key}/edit`);
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    begin.mutate();
  };
  return (
    <form onSubmit={submit} className="mt-3 grid gap-3 md:grid-cols-2">
      <TextField label="What the correction changes" rows={3} value={what} onChange={setWhat} />
      <TextField label="Why" rows={3} value={why} onChange={setWhy} />
      {about.length > 0 && (
        <Choice
          label="A reader's suggestion that led to it"
          value={suggestion}
          options={[
            { value: "", label: "none" },
            ...about.map((s) => ({ value: s.id, label: `${day(s.created)}: ${s.text.slice(0, 60)}` })),
          ]}
          onChange={setSuggestion}
        />
      )}
      {suggestion && (
        <TextField
          label="How that reader wants to be named"
          hint="empty: a reader"
          value={reader}
          onChange={setReader}
        />
      )}
      <Ends act="Start the correction" main pending={begin.isPending} error={begin.error} onLeave={leave} />
    </form>
  );
}
