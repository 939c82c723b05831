import { useMemo } from "react";
import { useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "../api";
import { titleIn, useChecklist, type Checklist } from "../checklist";
import { Choice } from "../components/Choice";
import { EditionLabel, said } from "../components/Edition";
import { SectionMark } from "../components/Figures";
import { Frame } from "../components/Frame";
import { Sideways } from "../components/Sideways";
import { Empty, Failure } from "../components/States";
import { figure, none, rounded } from "../numbers";
import { useView } from "../view";
import { useAttributes, valuesOf, type Attributes } from "../lists";
import { DataTable } from "../components/table/DataTable";
import type { Column } from "../components/table/columns";
import { plus } from "./Explain";
import { sourceKey } from "../keys";
import { Answered } from "../components/Answered";
import { failed } from "../failed";

const attributes = [
  { value: "desktop", label: "desktop" },
  { value: "base", label: "base" },
  { value: "model", label: "release model" },
  { value: "tier", label: "support tier" },
  { value: "purpose", label: "purpose" },
  { value: "profile", label: "install profile" },
];

const equals = [
  { value: "release", label: "in the release" },
  { value: "", label: "in every other attribute" },
  { value: "desktop", label: "in the desktop" },
  { value: "base", label: "in the base" },
];

/** The values of an attribute, those that most reviewed editions have first. */
const mostReviewed = (all: Attributes, attribute: string) =>
  [...(all.get(attribute) ?? [])].sort((x, y) => y.reviewed - x.reviewed).map((v) => v.value);

/** One group of editions against another, over the pairs that are equal otherwise. */
export default function GroupsPage() {
  const view = useView();
  const all = useAttributes();
  const attribute = view.search.get("by") || "desktop";
  const values = all.data ? valuesOf(all.data, attribute) : [];
  const usual = all.data ? mostReviewed(all.data, attribute) : [];
  const a = view.search.get("a") || usual.find((v) => v !== view.search.get("b")) || "";
  const b = view.search.get("b") || usual.find((v) => v !== a) || "";
  const equal =
    view.search.get("equal") ?? (attribute === "desktop" ? "release" : attribute === "base" ? "desktop" : "");
  const groups = useQuery({
    queryKey: sourceKey("groups", view.query, attribute, a, b, equal),
    enabled: !!a && !!b,
    queryFn: () =>
      take(
        api.GET("/groups", {
          params: { query: { ...view.query, attribute, a, b, equal: equal ? [equal] : undefined } },
        }),
      ),
    placeholderData: (old) => old,
  });
  const list = useChecklist(groups.data?.heading.checklist);
  const options = values.map((v) => ({ value: v, label: v }));
  return (
    <Frame title="Groups">
      <h1>
        {a || "One group"} against {b || "another"}{" "}
        {groups.data?.heading.audience && (
          <em>for {groups.data.heading.audienceTitle || groups.data.heading.audience}</em>
        )}
      </h1>
      <p className="text-[13px] text-soft">
        Compared over all pairs of editions that are equal in everything else. One edition can be in several pairs.
      </p>
      {failed(all) ? (
        <Failure error={all.error} again={() => all.refetch()} />
      ) : (
        <div className="my-3 flex flex-wrap items-baseline gap-x-6 gap-y-2 text-[13px]">
          <Choice
            label="Attribute"
            value={attribute}
            onChange={(by) => view.set({ by, a: "", b: "", equal: "" })}
            options={attributes}
          />
          <Choice
            label="First group"
            value={a}
            onChange={(v) => view.set({ a: v })}
            options={options.filter((o) => o.value !== b)}
          />
          <Choice
            label="against"
            value={b}
            onChange={(v) => view.set({ b: v })}
            options={options.filter((o) => o.value !== a)}
          />
          <Choice
            label="A pair is equal"
            value={equal}
            onChange={(e) => view.set({ equal: e })}
            options={equals.filter((e) => e.value !== attribute)}
          />
          {groups.data && (
            <Choice
              label="Audience"
              value={view.audience}
              onChange={(audience) => view.set({ audience })}
              options={[
                { value: "", label: "Everybody (default)" },
                ...groups.data.heading.audiences.map((x) => ({ value: x.key, label: x.title || x.key })),
              ]}
            />
          )}
        </div>
      )}
      {!failed(all) && (
        <Answered
          of={[all, groups, list]}
          what="the pairs"
          none={<Empty>To compare groups, the catalogue needs reviewed editions of two kinds.</Empty>}
        >
          {(_, answer, checklist) =>
            answer.groups.pairs.length === 0 ? (
              <Empty>
                No two reviewed editions differ in this attribute and are equal otherwise. Require less to be equal.
              </Empty>
            ) : (
              <Answer data={answer} list={checklist} />
            )
          }
        </Answered>
      )}
    </Frame>
  );
}

type Pair = Schemas["GroupsView"]["groups"]["pairs"][number] & { ratio?: number | null };

function pairColumns(a: string, b: string, names: Schemas["GroupsView"]["names"]): Column<Pair>[] {
  const name = (e: string) => (names[e] ? said(names[e]) : e);
  const label = (e: string) => (names[e] ? <EditionLabel name={names[e]} /> : e);
  return [
    { key: "a", title: a, heads: true, value: (p) => name(p.a), cell: (p) => label(p.a) },
    { key: "b", title: b, value: (p) => name(p.b), cell: (p) => label(p.b) },
    {
      key: "difference",
      title: "Difference in score",
      number: true,
      className: "font-semibold",
      value: (p) => p.difference,
      cell: (p) => (p.difference == null ? none : plus(p.difference)),
    },
    {
      key: "ratio",
      title: "Measures, as a ratio",
      number: true,
      value: (p) => p.ratio,
      cell: (p) => figure(p.ratio),
    },
  ];
}

function Answer({ data, list }: { data: Schemas["GroupsView"]; list: Checklist }) {
  const { groups: g, names } = data;
  const pairs = useMemo(() => g.pairs.map((p, i) => ({ ...p, ratio: g.measures[i]?.ratio })), [g]);
  const columns = useMemo(() => pairColumns(g.a, g.b, names), [g, names]);
  const scored = list.sections.flatMap((s, i) =>
    s.criteria.filter((c) => c.kind !== "fact").map((c) => ({ key: c.key, section: i })),
  );
  return (
    <>
      <p>
        {g.a} is{" "}
        {g.overall.mean == null
          ? "not comparable"
          : `${rounded(Math.abs(g.overall.mean), 1)} points ${g.overall.mean >= 0 ? "ahead of" : "behind"} ${g.b} on average`}
        {g.overall.spread != null && `, with a standard deviation of ${rounded(g.overall.spread, 1)}`} over{" "}
        {g.overall.pairs} {g.overall.pairs === 1 ? "pair" : "pairs"}: ahead in {g.overall.better}, behind in{" "}
        {g.overall.worse}.
      </p>
      <div className="mt-3 max-w-[900px]">
        <DataTable label="Pairs" file="pairs" rows={pairs} rowKey={(p) => `${p.a} ${p.b}`} columns={columns} />
      </div>
      <h2 className="mt-6 mb-1">
        {g.a} minus {g.b}, in points
      </h2>
      <Sideways label="Differences">
        <table className="ledger max-w-[900px]">
          <thead>
            <tr>
              <th className="margin stay">Section or criterion</th>
              <th className="num">Mean</th>
              <th className="num">Standard deviation</th>
              <th className="num">Lowest</th>
              <th className="num">Highest</th>
              <th className="num">Pairs</th>
              <th className="num">Ahead</th>
              <th className="num">Behind</th>
            </tr>
          </thead>
          <tbody>
            {list.sections.map((s, i) => [
              <tr key={s.key} className="band">
                <th scope="row" className="margin stay">
                  <SectionMark index={i} />
                  {s.title || s.key}
                </th>
                <Figures of={g.sections[i]} />
              </tr>,
              ...g.criteria
                .filter((c) => c.pairs > 0 && scored.some((x) => x.key === c.key && x.section === i))
                .map((c) => (
                  <tr key={c.key}>
                    <th scope="row" className="margin stay">
                      {titleIn(list, c.key!)}
                    </th>
                    <Figures of={c} />
                  </tr>
                )),
            ])}
          </tbody>
        </table>
      </Sideways>
    </>
  );
}

function Figures({ of: d }: { of: Schemas["Differences"] }) {
  const points = (x: number | null | undefined) => (x == null ? none : plus(x));
  return (
    <>
      <td className="num font-semibold">{points(d.mean)}</td>
      <td className="num">{d.spread == null ? none : rounded(d.spread, 1)}</td>
      <td className="num">{points(d.least)}</td>
      <td className="num">{points(d.most)}</td>
      <td className="num">{d.pairs}</td>
      <td className="num">{d.better}</td>
      <td className="num">{d.worse}</td>
    </>
  );
}
