import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take, type Schemas } from "../api";
import { direction, titleOf, useChecklist, type Checklist, type Criterion } from "../checklist";
import { Choice } from "../components/Choice";
import { EditionLink, said } from "../components/Edition";
import { EditionMark, SectionDots, SectionMark } from "../components/Figures";
import { Frame } from "../components/Frame";
import { Sideways } from "../components/Sideways";
import { Empty, Failure, Loading } from "../components/States";
import { figure, none, percent, score, signed } from "../numbers";
import { useView } from "../view";

type Data = Schemas["Comparison"];
type View = ReturnType<typeof useView>;

export default function ComparePage() {
  const view = useView();
  const edition = view.search.getAll("edition");
  const baseline = view.search.get("baseline") ?? undefined;
  const query = useQuery({
    queryKey: ["comparison", edition, baseline, view.query],
    enabled: edition.length >= 2,
    queryFn: () => take(api.GET("/comparison", { params: { query: { ...view.query, edition, baseline } } })),
    placeholderData: (old) => old,
  });
  const list = useChecklist(query.data?.heading.checklist);
  return (
    <Frame title="Compare">
      {edition.length < 2 ? (
        <Empty>
          <h1 className="mb-2 text-ink">Compare</h1>
          Nothing is chosen to compare. Tick two to four editions in the{" "}
          <Link className="act" to={`/${view.carry}`}>
            ranking
          </Link>
          .
        </Empty>
      ) : query.isError ? (
        <Failure error={query.error} again={() => query.refetch()} />
      ) : list.isError ? (
        <Failure error={list.error} again={() => list.refetch()} />
      ) : !query.data || !list.data ? (
        <Loading what="the comparison" />
      ) : (
        <Sheet data={query.data} list={list.data} view={view} />
      )}
    </Frame>
  );
}

function Sheet({ data, list, view }: { data: Data; list: Checklist; view: View }) {
  const { heading, editions } = data;
  const report = new URLSearchParams(view.search);
  const base = editions.find((e) => e.scorecard.edition === data.baseline);
  return (
    <>
      <h1>
        {editions.length} editions compared {heading.audience && <em>for {heading.audienceTitle || heading.audience}</em>}
      </h1>
      <p className="text-[13px] text-soft">
        {heading.title}, {heading.checklist} · differences are taken from {base && said(base.name)}
      </p>
      <div className="my-3 flex flex-wrap items-baseline gap-x-6 gap-y-2 text-[13px]">
        <Choice
          label="Audience"
          value={view.audience}
          onChange={(audience) => view.set({ audience })}
          options={[{ value: "", label: "Everybody (default)" }, ...heading.audiences.map((a) => ({ value: a.key, label: titleOf(a) }))]}
        />
        <Choice label="Baseline" value={data.baseline} onChange={(baseline) => view.set({ baseline })} options={editions.map((e) => ({ value: e.scorecard.edition, label: said(e.name) }))} />
        <a className="act ml-auto" href={`/report?${report}`}>
          As a page to print
        </a>
      </div>
      <Systems data={data} />
      {data.missing.map((m) => (
        <p key={m} className="text-accent">
          {m} has no accepted review on {heading.checklist}, so it is not compared.
        </p>
      ))}
      <SectionDots sections={heading.sections} cards={editions.map((e) => ({ name: said(e.name), card: e.scorecard }))} />
      <div className="h-4" />
      <Sideways label="Comparison">
        <table className="ledger">
          <Columns data={data} view={view} />
          <tbody>
            <Scores data={data} />
            {list.sections.map((s, i) => (
              <SectionRows key={s.key} section={s} index={i} data={data} />
            ))}
            <FactRows data={data} list={list} />
          </tbody>
        </table>
      </Sideways>
      <Means data={data} />
    </>
  );
}

function Columns({ data, view }: { data: Data; view: View }) {
  return (
    <thead>
      <tr>
        <th className="margin stay">Criterion</th>
        {data.editions.map((e, i) => (
          <th key={e.scorecard.edition} className="num min-w-[150px] text-ink!">
            <EditionMark index={i} />
            <EditionLink edition={e.scorecard.edition} name={e.name} search={view.carry} />
            {e.scorecard.edition === data.baseline && <span className="block text-[12px] font-normal text-soft">baseline</span>}
          </th>
        ))}
      </tr>
    </thead>
  );
}

const best = (values: (number | null | undefined)[]) => {
  const there = values.filter((v) => v != null);
  const top = Math.max(...there);
  return there.length > 1 && there.some((v) => v < top - 1e-9) ? top : NaN;
};

/** A value with the mark of the row's winner, which is told by shape and word. */
function Cell({ text, wins, children }: { text: string; wins: boolean; children?: React.ReactNode }) {
  return (
    <td className="num">
      {wins && (
        <span title="best of the row" className="mr-1 text-[11px]">
          <span aria-hidden="true">◆</span>
          <span className="sr-only">best</span>
        </span>
      )}
      <span className={wins ? "font-semibold" : ""}>{text}</span>
      {children}
    </td>
  );
}

function Scores({ data }: { data: Data }) {
  const overall = data.editions.map((e) => e.scorecard.overall);
  return (
    <>
      <tr>
        <th scope="row" className="margin stay font-medium!">
          Score
        </th>
        {data.editions.map((e) => (
          <Cell key={e.scorecard.edition} text={score(e.scorecard.overall)} wins={e.scorecard.overall === best(overall)}>
            <span className="block text-[12px] text-soft">{e.rank ? `rank ${e.rank}` : e.scorecard.barred.length ? "barred" : "provisional"}</span>
          </Cell>
        ))}
      </tr>
      <tr>
        <th scope="row" className="margin stay">
          Coverage
        </th>
        {data.editions.map((e) => (
          <td key={e.scorecard.edition} className="num">
            {percent(e.scorecard.coverage)}
          </td>
        ))}
      </tr>
    </>
  );
}

function SectionRows({ section, index, data }: { section: Checklist["sections"][number]; index: number; data: Data }) {
  const scores = data.editions.map((e) => e.scorecard.sections[index]?.score);
  return (
    <>
      <tr className="band">
        <th scope="row" className="margin stay">
          <SectionMark index={index} />
          {titleOf(section)}
        </th>
        {data.editions.map((e, n) => (
          <Cell key={e.scorecard.edition} text={score(scores[n])} wins={scores[n] === best(scores)} />
        ))}
      </tr>
      {section.criteria.map((c) => (c.kind === "fact" ? null : c.kind === "measure" ? <MeasureRows key={c.key} criterion={c} data={data} /> : <PointsRow key={c.key} criterion={c} data={data} />))}
    </>
  );
}

const cellOf = (e: Data["editions"][number], key: string) => e.scorecard.criteria.find((x) => x.key === key);

function PointsRow({ criterion: c, data }: { criterion: Criterion; data: Data }) {
  const points = data.editions.map((e) => cellOf(e, c.key)?.points);
  return (
    <tr>
      <th scope="row" className="margin stay max-md:max-w-[140px]" title={c.guidance}>
        {titleOf(c)} <span className="text-[12px] text-soft">points</span>
      </th>
      {data.editions.map((e, i) => {
        const cell = cellOf(e, c.key);
        return points[i] != null ? (
          <Cell key={e.scorecard.edition} text={score(points[i])} wins={points[i] === best(points)} />
        ) : (
          <td key={e.scorecard.edition} className="num text-soft italic" title={cell?.reason}>
            {cell?.state.replace("-", " ") ?? none}
          </td>
        );
      })}
    </tr>
  );
}

/** A measure: a row for each rig that any of them was measured on. */
function MeasureRows({ criterion: c, data }: { criterion: Criterion; data: Data }) {
  const rigs = [...new Set(data.editions.flatMap((e) => (cellOf(e, c.key)?.rigs ?? []).map((r) => r.rig)))].sort();
  return rigs.map((rig) => {
    const values = data.editions.map((e) => cellOf(e, c.key)?.rigs?.find((r) => r.rig === rig)?.value);
    const turned = values.map((v) => (v == null ? null : c.better === "lower" ? -v : v));
    const winner = best(turned);
    const rows = data.rows.filter((r) => r.criterion === c.key && r.rig === rig);
    return (
      <tr key={rig}>
        <th scope="row" className="margin stay max-md:max-w-[140px]" title={c.guidance}>
          {titleOf(c)} <span className="text-[12px] text-soft">{[c.unit, rig, direction(c)].filter(Boolean).join(" · ")}</span>
        </th>
        {data.editions.map((e, i) => {
          const row = rows.find((r) => r.edition === e.scorecard.edition);
          if (row?.verdict === "not comparable")
            return (
              <td key={e.scorecard.edition} className="num text-[12px] text-soft">
                not comparable
                <span className="block">{row.reason}</span>
              </td>
            );
          const close = rows.some((r) => r.verdict === "too close" && (r.edition === e.scorecard.edition || e.scorecard.edition === data.baseline));
          return (
            <Cell key={e.scorecard.edition} text={figure(values[i])} wins={turned[i] === winner && !close}>
              {row && (
                <span className="block text-[12px] text-soft">
                  {row.verdict === "too close" ? `too close to call (${signed(row.percent)} %)` : `${signed(row.percent)} % ${row.verdict}`}
                </span>
              )}
            </Cell>
          );
        })}
      </tr>
    );
  });
}

function FactRows({ data, list }: { data: Data; list: Checklist }) {
  const facts = list.sections.flatMap((s) => s.criteria).filter((c) => c.kind === "fact" && data.editions.some((e) => e.facts.some((f) => f.key === c.key)));
  if (facts.length === 0) return null;
  return (
    <>
      <tr className="band">
        <th scope="row" className="margin stay">
          Facts
        </th>
        {data.editions.map((e) => (
          <td key={e.scorecard.edition} />
        ))}
      </tr>
      {facts.map((c) => (
        <tr key={c.key}>
          <th scope="row" className="margin stay">
            {titleOf(c)}
          </th>
          {data.editions.map((e) => (
            <td key={e.scorecard.edition} className="num">
              {e.facts.find((f) => f.key === c.key)?.value ?? none}
            </td>
          ))}
        </tr>
      ))}
    </>
  );
}

function Means({ data }: { data: Data }) {
  const name = (edition: string) => {
    const e = data.editions.find((x) => x.scorecard.edition === edition);
    return e ? said(e.name) : edition;
  };
  return (
    <ul className="mt-3 text-[13px] text-soft">
      {data.geometricMeans.map((m) => (
        <li key={m.edition}>
          {m.ratio == null ? `${name(m.edition)} has no measure in common with the baseline.` : `All measures in one figure: ${name(m.edition)} is ${figure(m.ratio)} times as good as ${name(data.baseline)}, the geometric mean over ${m.over} ratios.`}
        </li>
      ))}
    </ul>
  );
}

/** How the systems behind the figures were treated, where that differs from the baseline's. */
function Systems({ data }: { data: Schemas["Comparison"] }) {
  const base = data.systems?.[0];
  const others = (data.systems ?? []).slice(1).filter((t) => t.onlyHere.length || t.onlyBaseline.length || (t.unknown && base && (base.installed.length || t.installed.length)));
  if (!base || others.length === 0) return null;
  const name = (edition: string) => {
    const n = data.editions.find((e) => e.scorecard.edition === edition)?.name;
    return n ? said(n) : edition;
  };
  return (
    <section className="my-3 border-l-2 border-accent pl-4 text-[13px]">
      <h2 className="text-[16px]!">The systems were not treated alike</h2>
      <ul>
        {others.map((t) => (
          <li key={t.edition}>
            <span className="font-medium">{name(t.edition)}</span>:{" "}
            {t.unknown
              ? "what was chosen and changed is written down on one side only"
              : [t.onlyHere.length && `only here: ${t.onlyHere.join(", ")}`, t.onlyBaseline.length && `only on ${name(base.edition)}: ${t.onlyBaseline.join(", ")}`].filter(Boolean).join("; ")}
          </li>
        ))}
      </ul>
    </section>
  );
}
