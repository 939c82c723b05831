import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, take, takeWhole } from "../../api";
import { InReports } from "../../components/InReports";
import { Answered } from "../../components/Answered";
import { day, moment } from "../../numbers";
import { Take } from "../Work";
import { editionKey, editionLabel, lineOf, type Catalogue, type Edition } from "./data";
import { editionFields } from "./fields";
import { Form, Rearrange } from "./Form";
import { Facts, Page, titleBelow, upToDistribution } from "./Page";
import { outdated, sourceKey } from "../../keys";
import { useMay } from "../../session";

export default function EditionPage() {
  const { distribution = "", release = "", edition = "" } = useParams();
  const navigate = useNavigate();
  const one = useQuery({
    queryKey: sourceKey("catalogue", distribution, release, edition),
    queryFn: () =>
      takeWhole(
        api.GET("/editions/{distribution}/{release}/{edition}", {
          params: { path: { distribution, release, edition } },
        }),
      ),
  });
  const now = one.data && editionKey(one.data.data);
  useEffect(() => {
    if (now && now !== `${distribution}/${release}/${edition}`) navigate(`/catalogue/${now}`, { replace: true });
  }, [distribution, edition, navigate, now, release]);
  return (
    <Page
      title={titleBelow(distribution, `${release} ${edition}`)}
      up={[upToDistribution(distribution), { to: `/catalogue/${distribution}/${release}`, name: () => release }]}
    >
      {(all) => (
        <Answered of={[one]} what="the edition" none={null}>
          {(got) => <Show e={got.data} etag={got.etag} all={all} />}
        </Answered>
      )}
    </Page>
  );
}

function Show({ e, etag, all }: { e: Edition; etag: string; all: Catalogue }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const may = useMay();
  const writes = may("edit-catalogue");
  const [editing, setEditing] = useState(false);
  const key = editionKey(e);
  const edit = useMutation({
    mutationFn: (body: Edition) =>
      take(
        api.PUT("/editions/{distribution}/{release}/{edition}", {
          params: {
            path: { distribution: e.distribution, release: e.release, edition: e.key },
            header: { "If-Match": etag },
          },
          body,
        }),
      ),
    onSuccess: () => (void outdated(queries, "catalogue"), setEditing(false)),
  });
  const d = all.distributions.find((x) => x.key === e.distribution);
  const dates = new Map(all.releases.filter((r) => r.distribution === e.distribution).map((r) => [r.version, r.date]));
  const line = all.editions
    .filter((x) => x.distribution === e.distribution && lineOf(x) === lineOf(e))
    .sort((a, b) => (dates.get(a.release) ?? "").localeCompare(dates.get(b.release) ?? ""));
  const reviews = all.reviews.filter((r) => r.edition === key);
  return (
    <>
      <h1>
        {d?.name} {e.release} {editionLabel(e)}
      </h1>
      {e.retired && <p className="text-accent">Retired: kept in the catalogue, no longer offered.</p>}
      <Facts
        of={[
          ["Stage", all.releases.find((r) => r.distribution === e.distribution && r.version === e.release)?.stage],
          ["Desktop", e.desktop],
          ["Purpose", e.purpose],
          ["Architecture", e.architecture],
          ["Profile", e.profile],
          [
            "Requirements",
            [e.memoryMiB && `${e.memoryMiB} MiB of memory`, e.diskGiB && `${e.diskGiB} GiB of disk`]
              .filter(Boolean)
              .join(", "),
          ],
        ]}
      />
      <h2 className="mt-4">Its line, {lineOf(e)}</h2>
      <ol>
        {line.map((x) => (
          <li
            key={editionKey(x)}
            className={`border-b border-rule py-1 ${x === e || editionKey(x) === key ? "bg-chosen font-medium" : ""}`}
          >
            <Link className="act" to={`/catalogue/${editionKey(x)}`}>
              {x.release} {editionLabel(x)}
            </Link>{" "}
            <span className="text-soft">
              {dates.get(x.release) && day(dates.get(x.release)!)}
              {all.reviewed.has(editionKey(x)) ? "" : ", not reviewed"}
            </span>
          </li>
        ))}
      </ol>
      <h2 className="mt-4">Reviews</h2>
      {reviews.length === 0 && <p className="text-soft">None yet.</p>}
      <ul>
        {reviews.map((r) => (
          <li key={r.id} className="border-b border-rule py-1">
            {r.accepted && r.state !== "withdrawn" ? (
              <Link className="act" to={`/edition/${key}?checklist=${r.checklist}`}>
                {r.checklist}
              </Link>
            ) : (
              r.checklist
            )}{" "}
            <span className="text-soft">
              {[
                r.state !== "accepted" && r.state,
                r.accepted && `accepted ${moment(r.accepted)}`,
                r.alone && "accepted by its only reviewer",
                r.preRelease && "of a pre-release",
                r.continues && "a revisit",
              ]
                .filter(Boolean)
                .join(" · ")}
            </span>
            {writes && (
              <Link className="act ml-4" to={`/desk/${r.id}`}>
                Open
              </Link>
            )}
          </li>
        ))}
      </ul>
      <InReports edition={key} />
      <p className="mt-4 flex flex-wrap gap-6">
        {writes && !e.retired && <Take edition={key} name="Plan a review" />}
        {writes && (
          <button type="button" className="act" onClick={() => setEditing(true)}>
            Edit
          </button>
        )}
        <Link className="act" to={`/suggest?sort=${reviews.length ? "correction" : "review"}&about=${key}`}>
          {reviews.length ? "Suggest a correction" : "Request a review"}
        </Link>
      </p>
      {editing && (
        <Form
          fields={editionFields}
          value={e}
          act="Save the changes"
          pending={edit.isPending}
          error={edit.error}
          onSave={(v, saved) => edit.mutate(v, { onSuccess: saved })}
          onLeave={() => setEditing(false)}
        />
      )}
      <Rearrange sort="edition" thing={key} onMoved={(to) => navigate(`/catalogue/${to}`)} />
    </>
  );
}
