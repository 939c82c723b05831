import { useQuery } from "@tanstack/react-query";
import { useMemo, type ReactNode } from "react";
import { Link } from "react-router";
import { api, take, type Schemas } from "../api";
import { findCriterion, titleIn, useChecklist, type Checklist } from "../checklist";
import { EditionLink, said } from "../components/Edition";
import { Frame } from "../components/Frame";
import { DataTable } from "../components/table/DataTable";
import type { Column } from "../components/table/columns";
import { Sideways } from "../components/Sideways";
import { Empty, Failure, Loading } from "../components/States";
import { scatterWords } from "../scatter";
import { count, day, figure, rounded, signed } from "../numbers";
import { useView } from "../view";
import { sourceKey } from "../keys";
import { useSession } from "../session";
import { failed } from "../failed";

type Quality = Schemas["QualityView"];

/** Readings of accepted reviews that need attention. */
export default function DataQualityPage() {
  const view = useView();
  const session = useSession();
  const quality = useQuery({
    queryKey: sourceKey("quality", view.query.checklist),
    enabled: !!session.data?.signedIn,
    queryFn: () => take(api.GET("/quality", { params: { query: { checklist: view.query.checklist } } })),
  });
  const list = useChecklist(quality.data?.checklist);
  return (
    <Frame title="Data quality">
      <h1>Data quality</h1>
      {session.data && !session.data.signedIn ? (
        <Empty>
          <Link className="act" to="/sign-in?to=/data-quality">
            Sign in
          </Link>{" "}
          to see which readings need attention.
        </Empty>
      ) : failed(quality) ? (
        <Failure error={quality.error} again={() => quality.refetch()} />
      ) : !quality.data || !list.data ? (
        <Loading what="the readings" />
      ) : (
        <Body quality={quality.data} list={list.data} />
      )}
    </Frame>
  );
}

type Names = Quality["names"];

const edition = (names: Names) => (x: { edition: string }) => (names[x.edition] ? said(names[x.edition]) : x.edition);

const editionColumn = <T extends { edition: string }>(names: Names): Column<T> => ({
  key: "edition",
  title: "Edition",
  heads: true,
  value: edition(names),
  cell: (x) => (names[x.edition] ? <EditionLink edition={x.edition} name={names[x.edition]} /> : x.edition),
});

const criterionColumn = <T extends { criterion: string }>(list: Checklist): Column<T> => ({
  key: "criterion",
  title: "Criterion",
  value: (x) => titleIn(list, x.criterion),
});

const valued = (value: number, key: string, list: Checklist) =>
  `${figure(value)} ${findCriterion(list, key)?.unit ?? ""}`;

const surpriseColumns = (names: Names, list: Checklist): Column<Quality["surprises"][number]>[] => [
  editionColumn(names),
  criterionColumn(list),
  { key: "rig", title: "Rig", value: (s) => s.rig },
  {
    key: "value",
    title: "Value",
    number: true,
    value: (s) => s.value,
    cell: (s) => valued(s.value, s.criterion, list),
  },
  {
    key: "why",
    title: "Why it is surprising",
    className: "text-[13px]",
    value: (s) =>
      [
        s.earlier != null && `${names[s.previous]?.release ?? s.previous} had ${figure(s.earlier)}`,
        s.median != null && `the median of ${s.others} others is ${figure(s.median)}`,
      ]
        .filter(Boolean)
        .join("; "),
  },
  {
    key: "confirmed",
    title: "Confirmed",
    value: (s) => (s.confirmed ? `by ${s.confirmed}` : "not yet"),
    cell: (s) => (s.confirmed ? `by ${s.confirmed}` : <span className="font-medium">not yet</span>),
  },
];

const disagreementColumns = (names: Names, list: Checklist): Column<Quality["disagreements"][number]>[] => [
  editionColumn(names),
  criterionColumn(list),
  {
    key: "spread",
    title: "Difference in grade",
    number: true,
    value: (d) => d.spread,
    cell: (d) => rounded(d.spread, 1),
  },
  { key: "reviewers", title: "Reviewers", value: (d) => d.reviewers.join(", ") },
];

type Changed = Schemas["ChangedGradeOf"];

const changedColumns = (names: Names, list: Checklist): Column<Changed>[] => [
  editionColumn(names),
  criterionColumn(list),
  { key: "reviewer", title: "Reviewer", value: (g) => g.reviewer },
  { key: "from", title: "From", number: true, value: (g) => g.from },
  { key: "to", title: "To", number: true, value: (g) => g.to },
  { key: "seen", title: "Could see the grade of", value: (g) => g.seen.join(", ") },
];

const readingColumns = (names: Names, list: Checklist): Column<Quality["readings"][number]>[] => [
  editionColumn(names),
  criterionColumn(list),
  { key: "rig", title: "Rig", value: (r) => r.rig },
  { key: "reviewer", title: "Reviewer", value: (r) => r.reviewer },
  {
    key: "value",
    title: "Value",
    number: true,
    value: (r) => r.summary,
    cell: (r) => valued(r.summary, r.criterion, list),
  },
  {
    key: "spread",
    title: "Spread",
    hint: "how far the runs scatter, relative to their median",
    number: true,
    value: (r) => r.spread,
    cell: (r) => (r.spread == null ? "–" : `${rounded(100 * r.spread, 1)} %`),
  },
  {
    key: "what",
    title: "What needs attention",
    className: "text-[13px]",
    value: (r) => scatterWords(r, findCriterion(list, r.criterion)),
  },
];

function Body({ quality: q, list }: { quality: Quality; list: Checklist }) {
  const surprises = useMemo(
    () => [...q.surprises.filter((s) => !s.confirmed), ...q.surprises.filter((s) => s.confirmed)],
    [q],
  );
  const readings = useMemo(() => [...q.readings].sort(worst), [q]);
  const columns = useMemo(
    () => ({
      surprises: surpriseColumns(q.names, list),
      disagreements: disagreementColumns(q.names, list),
      changed: changedColumns(q.names, list),
      readings: readingColumns(q.names, list),
    }),
    [q, list],
  );
  return (
    <>
      <p className="text-[13px] text-soft">
        {q.checklist} · {count(q.of.unconfirmed)} unconfirmed surprising values, {count(q.of.readings)} readings that
        scatter or have too few runs, {count(q.of.disagreements)} differing grades. Nothing here is corrected
        automatically.
      </p>
      {(q.drifted ?? []).length > 0 && (
        <section className="mt-4" aria-label="Rigs that changed">
          <h2 className="border-b border-ink pb-1">Rigs that changed</h2>
          <ul>
            {q.drifted?.map((d) => (
              <li key={d.rig + d.from} className="border-b border-rule py-1">
                <Link className="act" to={`/rigs/${d.rig}`}>
                  {d.rig}
                </Link>{" "}
                was outside the band of its reference from {day(d.from)}{" "}
                {d.until ? `until ${day(d.until)}` : "until now"}. Readings taken on it in that time are marked on their
                scorecards.
              </li>
            ))}
          </ul>
        </section>
      )}
      <Part
        title="Surprising values"
        none="No value is far from what is known."
        listed={surprises.length}
        of={q.of.surprises}
      >
        <DataTable
          label="Surprising values"
          file="surprises"
          rows={surprises}
          rowKey={(s) => [s.edition, s.criterion, s.rig].join(" ")}
          columns={columns.surprises}
        />
      </Part>
      <Part
        title="Reviewers who differ"
        none={`No two reviewers differ by more than ${list.policy?.disagreement ?? 3} grades.`}
        listed={q.disagreements.length}
        of={q.of.disagreements}
      >
        <DataTable
          label="Reviewers who differ"
          file="disagreements"
          rows={q.disagreements}
          rowKey={(d) => [d.edition, d.criterion].join(" ")}
          columns={columns.disagreements}
        />
      </Part>
      {q.changedGrades && (
        <Part
          title="Grades changed after other grades could be seen"
          none=""
          listed={q.changedGrades.length}
          of={q.of.changedGrades}
        >
          <p className="my-2 max-w-[70ch] text-[13px] text-soft">
            They score with their current grade. Agreement and leniency use the grade before the change.
          </p>
          <DataTable
            label="Grades changed after other grades could be seen"
            file="changed-grades"
            rows={q.changedGrades}
            rowKey={(g) => [g.edition, g.reading].join(" ")}
            columns={columns.changed}
          />
        </Part>
      )}
      <Part
        title="Readings that scatter or have too few runs"
        none="All readings are steady."
        listed={readings.length}
        of={q.of.readings}
      >
        <DataTable
          label="Readings that scatter or have too few runs"
          file="scatter"
          rows={readings}
          rowKey={(r) => [r.id, r.edition].join(" ")}
          columns={columns.readings}
        />
      </Part>
      <Part
        title="How reviewers grade"
        none="No criterion was graded by two reviewers."
        listed={q.leniency.length}
        of={q.leniency.length}
      >
        <p className="my-2 max-w-[70ch] text-[13px] text-soft">
          {q.agreement.alpha != null &&
            `Krippendorff's alpha is ${rounded(q.agreement.alpha, 2)} over ${q.agreement.units} shared grades: 1 is full agreement, 0 is chance. `}
          Leniency is how much higher a reviewer grades than the others, on average.
        </p>
        <Sideways label="How reviewers grade">
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
        </Sideways>
      </Part>
    </>
  );
}

const worst = (a: Quality["readings"][number], b: Quality["readings"][number]) =>
  Number(b.unsteady) - Number(a.unsteady) || (b.spread ?? 0) - (a.spread ?? 0);

interface PartProps {
  title: string;
  none: string;
  /** How many are listed. */
  listed: number;
  /** How many there are. */
  of: number;
  children: ReactNode;
}

function Part({ title, none, listed, of, children }: PartProps) {
  return (
    <section className="mt-6">
      <h2 className="border-b border-ink pb-1">{title}</h2>
      {of > listed && (
        <p className="my-2 max-w-[70ch] text-[13px] text-soft">
          The first {count(listed)} of {count(of)}, by edition.
        </p>
      )}
      {listed === 0 ? <p className="py-2 text-soft">{none}</p> : children}
    </section>
  );
}
