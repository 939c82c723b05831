import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, take, type Schemas } from "../../api";
import { Frame } from "../../components/Frame";
import { Failure, Loading, Refused } from "../../components/States";
import { moment } from "../../numbers";
import { same } from "../../merge";
import { fetchDraft } from "./reports";
import { sourceKey } from "../../keys";
import { failed } from "../../failed";

/** Earlier forms of a draft: what anybody wrote can be read and brought back. */
export default function DraftVersionsPage() {
  const { key = "" } = useParams();
  const versions = useQuery({
    queryKey: sourceKey("reportVersions", key),
    queryFn: () => take(api.GET("/reports/{report}/draft/versions", { params: { path: { report: key } } })),
    staleTime: 0,
  });
  const [open, setOpen] = useState<number>();
  return (
    <Frame title="Earlier versions">
      <h1>Earlier versions of the draft</h1>
      <p className="my-2">
        <Link className="act" to={`/reports/${key}/edit`}>
          Back to the draft
        </Link>
      </p>
      {versions.isPending ? (
        <Loading what="the versions" />
      ) : failed(versions) ? (
        <Failure error={versions.error} again={() => versions.refetch()} />
      ) : versions.data.versions.length === 0 ? (
        <p className="text-soft">
          None yet. A version is saved when another author writes, and every few minutes while somebody writes.
        </p>
      ) : (
        <ol reversed>
          {versions.data.versions.map((v, i) => (
            <li key={v.number} className="border-b border-rule py-2">
              <span className="font-medium">{v.spec.title}</span>{" "}
              <span className="text-[13px] text-soft">
                {v.person}, {moment(v.written)}
              </span>{" "}
              <button
                type="button"
                className="act"
                aria-expanded={open === v.number}
                onClick={() => setOpen(open === v.number ? undefined : v.number)}
              >
                {open === v.number ? "Close" : "Read"}
              </button>
              {open === v.number && <Version report={key} version={v} before={versions.data.versions[i + 1]} />}
            </li>
          ))}
        </ol>
      )}
    </Frame>
  );
}

function Version({
  report,
  version: v,
  before,
}: {
  report: string;
  version: Schemas["ReportVersion"];
  before?: Schemas["ReportVersion"];
}) {
  const navigate = useNavigate();
  const back = useMutation({
    mutationFn: async () => {
      const now = await fetchDraft(report);
      await take(
        api.PUT("/reports/{report}/draft", {
          params: { path: { report }, header: { "If-Match": now.etag } },
          body: { spec: v.spec, erratum: v.erratum },
        }),
      );
    },
    onSuccess: () => {
      localStorage.removeItem(`report draft ${report}`);
      navigate(`/reports/${report}/edit`);
    },
  });
  return (
    <div className="my-2 max-w-[80ch]">
      {v.spec.parts.map((p) => (
        <section key={p.id} className="my-2">
          <h3 className="text-[15px]">
            {p.title || p.id}{" "}
            {before &&
              !same(
                before.spec.parts.find((x) => x.id === p.id),
                p,
              ) && <span className="font-sans text-[12px] font-normal text-soft">changed here</span>}
          </h3>
          {p.text && <pre className="font-sans text-[13px] whitespace-pre-wrap">{p.text}</pre>}
        </section>
      ))}
      <button type="button" className="act" disabled={back.isPending} onClick={() => back.mutate()}>
        Restore this version
      </button>
      <Refused error={back.error} />
    </div>
  );
}
