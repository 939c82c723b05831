import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, take, takeWhole } from "../../api";
import { TextField } from "../../components/Fields";
import { Answered } from "../../components/Answered";
import { day } from "../../numbers";
import { editionKey, editionLabel, type Catalogue, type Edition, type Release } from "./data";
import { editionFields, releaseFields } from "./fields";
import { Form, Rearrange } from "./Form";
import { Facts, Page, titleBelow, upToDistribution } from "./Page";
import { outdated, sourceKey } from "../../keys";
import { useMay } from "../../session";

export default function ReleasePage() {
  const { distribution = "", release = "" } = useParams();
  const navigate = useNavigate();
  const one = useQuery({
    queryKey: sourceKey("catalogue", distribution, release),
    queryFn: () =>
      takeWhole(api.GET("/releases/{distribution}/{release}", { params: { path: { distribution, release } } })),
  });
  const now = one.data && `${one.data.data.distribution}/${one.data.data.version}`;
  useEffect(() => {
    if (now && now !== `${distribution}/${release}`) navigate(`/catalogue/${now}`, { replace: true });
  }, [distribution, navigate, now, release]);
  return (
    <Page title={titleBelow(distribution, release)} up={[upToDistribution(distribution)]}>
      {(all) => (
        <Answered of={[one]} what="the release" none={null}>
          {(got) => <Show r={got.data} etag={got.etag} all={all} />}
        </Answered>
      )}
    </Page>
  );
}

function Show({ r, etag, all }: { r: Release; etag: string; all: Catalogue }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const may = useMay();
  const writes = may("edit-catalogue");
  const [form, setForm] = useState<"" | "edit" | "edition">("");
  const [key, setKey] = useState("");
  const settled = () => void outdated(queries, "catalogue");
  const edit = useMutation({
    mutationFn: (body: Release) =>
      take(
        api.PUT("/releases/{distribution}/{release}", {
          params: { path: { distribution: r.distribution, release: r.version }, header: { "If-Match": etag } },
          body,
        }),
      ),
    onSuccess: () => (settled(), setForm("")),
  });
  const add = useMutation({
    mutationFn: (body: Edition) =>
      take(api.POST("/editions", { body: { ...body, distribution: r.distribution, release: r.version, key } })),
    onSuccess: () => (settled(), setForm("")),
  });
  const d = all.distributions.find((x) => x.key === r.distribution);
  const replacedBy = all.releases.filter((x) => x.distribution === r.distribution && x.replaces?.includes(r.version));
  const basis = all.releases.some((x) => `${x.distribution}/${x.version}` === r.basedOn);
  return (
    <>
      <h1>
        {d?.name} {r.version} {r.codename && <em>{r.codename}</em>}
      </h1>
      {r.retired && <p className="text-accent">Retired: kept in the catalogue, no longer offered.</p>}
      <Facts
        of={[
          ["Released", day(r.date)],
          ["Stage", r.stage],
          ["Support", [r.tier, r.endOfSupport && `until ${day(r.endOfSupport)}`].filter(Boolean).join(", ")],
          ["Replaces", r.replaces?.join(", ")],
          ["Replaced by", replacedBy.map((x) => x.version).join(", ")],
          [
            "Based on",
            r.basedOn &&
              (basis ? (
                <Link className="act" to={`/catalogue/${r.basedOn}`}>
                  {r.basedOn}
                </Link>
              ) : (
                r.basedOn
              )),
          ],
        ]}
      />
      <h2 className="mt-4">Editions</h2>
      <ul>
        {all.editions
          .filter((e) => e.distribution === r.distribution && e.release === r.version)
          .map((e) => (
            <li key={e.key} className="border-b border-rule py-1">
              <Link className="act" to={`/catalogue/${editionKey(e)}`}>
                {editionLabel(e)}
              </Link>{" "}
              <span className="text-soft">
                {[
                  e.architecture,
                  e.profile,
                  e.memoryMiB && `requires ${e.memoryMiB} MiB`,
                  e.diskGiB && `${e.diskGiB} GiB of disk`,
                  !all.reviewed.has(editionKey(e)) && "not reviewed",
                  e.retired && "retired",
                ]
                  .filter(Boolean)
                  .join(" · ")}
              </span>
            </li>
          ))}
      </ul>
      {writes && (
        <p className="mt-4 flex gap-6">
          <button type="button" className="act" onClick={() => setForm("edit")}>
            Edit
          </button>
          <button type="button" className="act" onClick={() => setForm("edition")}>
            Add an edition
          </button>
        </p>
      )}
      {form === "edit" && (
        <Form
          fields={releaseFields}
          value={r}
          act="Save the changes"
          pending={edit.isPending}
          error={edit.error}
          onSave={(v, saved) => edit.mutate(v, { onSuccess: saved })}
          onLeave={() => setForm("")}
        />
      )}
      {form === "edition" && (
        <Form
          fields={editionFields}
          value={{ distribution: r.distribution, release: r.version, key: "" } as Edition}
          act="Add the edition"
          pending={add.isPending}
          error={add.error}
          onSave={(v, saved) => add.mutate(v, { onSuccess: saved })}
          onLeave={() => setForm("")}
        >
          <TextField label="Key" hint="such as hearthside" value={key} onChange={setKey} />
        </Form>
      )}
      <Rearrange
        sort="release"
        thing={`${r.distribution}/${r.version}`}
        onMoved={(to) => navigate(`/catalogue/${to}`)}
      />
    </>
  );
}
