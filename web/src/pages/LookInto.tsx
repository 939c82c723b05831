import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { api, take, type Schemas } from "../api";
import { findCriterion, titleIn, useChecklist, type Checklist } from "../checklist";
import { EditionLink } from "../components/Edition";
import { Frame } from "../components/Frame";
import { Sideways } from "../components/Sideways";
import { Empty, Failure, Loading } from "../components/States";
import { scatterWords } from "../doubts";
import { figure, rounded, signed } from "../numbers";
import { useView } from "../view";
import { sourceKey } from "../keys";
import { useSession } from "../session";

type Quality = Schemas["QualityView"];

/** What there is to look into among the readings that editions stand with. */
export default function LookIntoPage() {
  const view = useView();
  const session = useSession();
  const quality = useQuery({
    queryKey: sourceKey("quality", view.query.checklist),
    enabled: !!session.data?.signedIn,
    queryFn: () => take(api.GET("/quality", { params: { query: { checklist: view.query.checklist } } })),
  });
  const list = useChecklist(quality.data?.checklist);
  return (
    <Frame title="To look into">
      <h1>To look into</h1>
      {session.data && !session.data.signedIn ? (
        <Empty>
          <Link className="act" to="/sign-in?to=/look-into">
            Sign in
          </Link>{" "}
          to see what the team should look into.
        </Empty>
      ) : quality.isError ? (
        <Failure error={quality.error} again={() => quality.refetch()} />
      ) : !quality.data || !list.data ? (
        <Loading what="the readings" />
      ) : (
        <Body quality={quality.data} list={list.data} />
      )}
    </Frame>
  );
}

function Body({ quality: q, list }: { quality: Quality; list: Checklist }) {
  const criterion = (key: string) => findCriterion(list, key);
  const title = (key: string) => titleIn(list, key);
  const open = q.surprises.filter((s) => !s.confirmed);
  return (
    <>
      <p className="text-[13px] text-soft">
        {q.checklist} · {open.length} surprises not confirmed, {q.readings.length} readings that scatter or are short of
        runs, {q.disagreements.length} grades apart. Nothing here is corrected by itself.
      </p>
      <Part title="Surprising values" none="No value stands far from what is known." empty={q.surprises.length === 0}>
        <table className="ledger">
          <thead>
            <tr>
              <th className="margin">Edition</th>
              <th>Criterion</th>
              <th>Rig</th>
              <th className="num">Value</th>
              <th>Why it surprises</th>
              <th>Confirmed</th>
            </tr>
          </thead>
          <tbody>
            {[...open, ...q.surprises.filter((s) => s.confirmed)].map((s) => (
              <tr key={s.edition + s.criterion + s.rig}>
                <td className="margin">
                  <EditionLink edition={s.edition} name={q.names[s.edition]} />
                </td>
                <td>{title(s.criterion)}</td>
                <td>{s.rig}</td>
                <td className="num">
                  {figure(s.value)} {criterion(s.criterion)?.unit}
                </td>
                <td className="text-[13px]">
                  {[
                    s.earlier != null && `${q.names[s.previous]?.release ?? s.previous} had ${figure(s.earlier)}`,
                    s.median != null && `the median of ${s.others} others is ${figure(s.median)}`,
                  ]
                    .filter(Boolean)
                    .join("; ")}
                </td>
                <td>{s.confirmed ? `by ${s.confirmed}` : <span className="font-medium">not yet</span>}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </Part>
      <Part
        title="Reviewers apart"
        none={`No two reviewers are more than ${list.policy?.disagreement ?? 3} grades apart.`}
        empty={q.disagreements.length === 0}
      >
        <table className="ledger">
          <thead>
            <tr>
              <th className="margin">Edition</th>
              <th>Criterion</th>
              <th className="num">Grades apart</th>
              <th>Reviewers</th>
            </tr>
          </thead>
          <tbody>
            {q.disagreements.map((d) => (
              <tr key={d.edition + d.criterion}>
                <td className="margin">
                  <EditionLink edition={d.edition} name={q.names[d.edition]} />
                </td>
                <td>{title(d.criterion)}</td>
                <td className="num">{rounded(d.spread, 1)}</td>
                <td>{d.reviewers.join(", ")}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </Part>
      <Part
        title="Readings that scatter, or are short of runs"
        none="All readings are steady."
        empty={q.readings.length === 0}
      >
        <table className="ledger">
          <thead>
            <tr>
              <th className="margin">Edition</th>
              <th>Criterion</th>
              <th>Rig</th>
              <th>Reviewer</th>
              <th className="num">Value</th>
              <th className="num" title="how far the runs scatter, relative to their median">
                Spread
              </th>
              <th>What there is to look into</th>
            </tr>
          </thead>
          <tbody>
            {[...q.readings].sort(worst).map((r) => (
              <tr key={r.id + r.edition}>
                <td className="margin">
                  <EditionLink edition={r.edition} name={q.names[r.edition]} />
                </td>
                <td>{title(r.criterion)}</td>
                <td>{r.rig}</td>
                <td>{r.reviewer}</td>
                <td className="num">
                  {figure(r.summary)} {criterion(r.criterion)?.unit}
                </td>
                <td className="num">{r.spread == null ? "–" : `${rounded(100 * r.spread, 1)} %`}</td>
                <td className="text-[13px]">{scatterWords(r, criterion(r.criterion))}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </Part>
      <Part
        title="How the reviewers grade"
        none="No criterion was graded by two reviewers."
        empty={q.leniency.length === 0}
      >
        <p className="my-2 max-w-[70ch] text-[13px] text-soft">
          {q.agreement.alpha != null &&
            `Krippendorff's alpha is ${rounded(q.agreement.alpha, 2)} over ${q.agreement.units} shared grades: 1 is full agreement, 0 is chance. `}
          Leniency is how much higher one grades than the others do, on the mean.
        </p>
        <table className="ledger max-w-md">
          <thead>
            <tr>
              <th className="margin">Reviewer</th>
              <th className="num">Above the others</th>
              <th className="num">Shared grades</th>
            </tr>
          </thead>
          <tbody>
            {q.leniency.map((l) => (
              <tr key={l.reviewer}>
                <td className="margin">{l.reviewer}</td>
                <td className="num">{signed(l.shift)}</td>
                <td className="num">{l.items}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </Part>
    </>
  );
}

const worst = (a: Quality["readings"][number], b: Quality["readings"][number]) =>
  Number(b.unsteady) - Number(a.unsteady) || (b.spread ?? 0) - (a.spread ?? 0);

function Part({ title, none, empty, children }: { title: string; none: string; empty: boolean; children: ReactNode }) {
  return (
    <section className="mt-6">
      <h2 className="border-b border-ink pb-1">{title}</h2>
      {empty ? <p className="py-2 text-soft">{none}</p> : <Sideways label={title}>{children}</Sideways>}
    </section>
  );
}
