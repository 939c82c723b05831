import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, take, takeWhole } from "../../api";
import { TextField } from "../../components/Fields";
import { Answered } from "../../components/Answered";
import { day } from "../../numbers";
import { editionKey, editionLabel, lineOf, type Catalogue, type Distribution, type Release } from "./data";
import { distributionFields, releaseFields } from "./fields";
import { Form, Rearrange } from "./Form";
import { Empty } from "../../components/States";
import { Facts, Page } from "./Page";
import { Sideways } from "../../components/Sideways";
import { outdated, sourceKey } from "../../keys";
import { useMay } from "../../session";

export default function DistributionPage() {
  const { distribution: asked = "" } = useParams();
  const navigate = useNavigate();
  const one = useQuery({
    queryKey: sourceKey("catalogue", asked),
    queryFn: () => takeWhole(api.GET("/distributions/{distribution}", { params: { path: { distribution: asked } } })),
  });
  const key = one.data?.data.key;
  // An old key redirects.
  useEffect(() => {
    if (key && key !== asked) navigate(`/catalogue/${key}`, { replace: true });
  }, [asked, key, navigate]);
  return (
    <Page title={() => one.data?.data.name ?? asked} up={[]}>
      {(all) => (
        <Answered of={[one]} what="the distribution" none={null}>
          {(got) => <Show d={got.data} etag={got.etag} all={all} />}
        </Answered>
      )}
    </Page>
  );
}

function Show({ d, etag, all }: { d: Distribution; etag: string; all: Catalogue }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const may = useMay();
  const writes = may("edit-catalogue");
  const [form, setForm] = useState<"" | "edit" | "release">("");
  const [version, setVersion] = useState("");
  const settled = () => void outdated(queries, "catalogue");
  const edit = useMutation({
    mutationFn: (body: Distribution) =>
      take(
        api.PUT("/distributions/{distribution}", {
          params: { path: { distribution: d.key }, header: { "If-Match": etag } },
          body,
        }),
      ),
    onSuccess: () => (settled(), setForm("")),
  });
  const add = useMutation({
    mutationFn: (body: Release) => take(api.POST("/releases", { body: { ...body, distribution: d.key, version } })),
    onSuccess: () => (settled(), setForm("")),
  });
  const releases = all.releases.filter((r) => r.distribution === d.key);
  const editions = all.editions.filter((e) => e.distribution === d.key);
  const lines = [...new Set(editions.map(lineOf))].sort();
  const below = all.distributions.filter((x) => x.family?.includes(d.key));
  return (
    <>
      <h1>{d.name}</h1>
      {d.retired && <p className="text-accent">Retired: kept in the catalogue, no longer offered.</p>}
      <Facts
        of={
          [
            ["Release model", d.model],
            [
              "Based on",
              d.family?.length
                ? d.family.map((f, i) => (
                    <span key={f}>
                      {i > 0 && ", which is based on "}
                      {all.distributions.some((x) => x.key === f) ? (
                        <Link className="act" to={`/catalogue/${f}`}>
                          {f}
                        </Link>
                      ) : (
                        f
                      )}
                    </span>
                  ))
                : "",
            ],
            [
              "Others based on it",
              below.map((x, i) => (
                <span key={x.key}>
                  {i > 0 && ", "}
                  <Link className="act" to={`/catalogue/${x.key}`}>
                    {x.name}
                  </Link>
                </span>
              )),
            ],
            ["Stated aim", d.aim && `“${d.aim}”`],
          ].filter(([, v]) => !Array.isArray(v) || v.length > 0) as [string, React.ReactNode][]
        }
      />
      <h2 className="mt-5">Releases</h2>
      {releases.length === 0 ? (
        <Empty>There are no releases yet.</Empty>
      ) : (
        <Sideways label="Releases, by edition line">
          <table className="ledger">
            <thead>
              <tr>
                <th className="stay margin">Release</th>
                <th>Date</th>
                <th>Support</th>
                {lines.map((l) => (
                  <th key={l}>{l}</th>
                ))}
              </tr>
            </thead>
            <tbody>
              {releases.toReversed().map((r) => (
                <tr key={r.version} className={r.retired ? "text-soft" : ""}>
                  <th scope="row" className="stay margin">
                    <Link className="act" to={`/catalogue/${d.key}/${r.version}`}>
                      {r.version}
                    </Link>
                    {r.stage === "pre-release" && <span className="text-[12px]"> pre-release</span>}
                  </th>
                  <td className="whitespace-nowrap">{day(r.date)}</td>
                  <td className="min-w-[9rem]">
                    {[r.tier, r.endOfSupport && `until ${day(r.endOfSupport)}`].filter(Boolean).join(", ")}
                  </td>
                  {lines.map((l) => (
                    <td key={l}>
                      {editions
                        .filter((e) => e.release === r.version && lineOf(e) === l)
                        .map((e) => (
                          <Link key={e.key} className="act mr-3" to={`/catalogue/${editionKey(e)}`}>
                            {editionLabel(e)}
                            {!all.reviewed.has(editionKey(e)) && (
                              <span className="font-normal text-soft">, not reviewed</span>
                            )}
                          </Link>
                        ))}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </Sideways>
      )}
      {writes && (
        <p className="mt-4 flex gap-6">
          <button type="button" className="act" onClick={() => setForm("edit")}>
            Edit
          </button>
          <button type="button" className="act" onClick={() => setForm("release")}>
            Add a release
          </button>
        </p>
      )}
      {form === "edit" && (
        <Form
          fields={distributionFields}
          value={d}
          act="Save the changes"
          pending={edit.isPending}
          error={edit.error}
          onSave={(v, saved) => edit.mutate(v, { onSuccess: saved })}
          onLeave={() => setForm("")}
        />
      )}
      {form === "release" && (
        <Form
          fields={releaseFields}
          value={{ distribution: d.key, version: "", date: "", stage: "final" } as Release}
          act="Add the release"
          pending={add.isPending}
          error={add.error}
          onSave={(v, saved) => add.mutate(v, { onSuccess: saved })}
          onLeave={() => setForm("")}
        >
          <TextField label="Version" hint="or the date of a snapshot" value={version} onChange={setVersion} />
        </Form>
      )}
      <Rearrange sort="distribution" thing={d.key} onMoved={(key) => navigate(`/catalogue/${key}`)} />
    </>
  );
}
