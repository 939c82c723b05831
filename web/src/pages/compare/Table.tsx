import type { Schemas } from "../../api";
import { contextText, direction, titleOf, type Checklist, type Criterion } from "../../checklist";
import { EditionLink, said } from "../../components/Edition";
import { EditionMark, SectionMark } from "../../components/Figures";
import { Sideways } from "../../components/Sideways";
import { counting, estimateText } from "../../estimates";
import { change, figure, none, percent, score } from "../../numbers";
import type { View } from "../../view";

export type Data = Schemas["Comparison"];

/** What of the table is shown. */
export type Show = "" | "differences" | "close";

/** The table, section by section: values by rig, differences from the baseline, winners. */
export function Table({ data, list, view, show }: { data: Data; list: Checklist; view: View; show: Show }) {
  return (
    <Sideways label="Comparison">
      <table className="ledger">
        <Columns data={data} view={view} />
        <tbody>
          {show === "" && <Scores data={data} />}
          {list.sections.map((s, i) => (
            <SectionRows key={s.key} section={s} index={i} data={data} list={list} show={show} />
          ))}
          {show === "" && <Placings data={data} />}
        </tbody>
      </table>
    </Sideways>
  );
}

function Columns({ data, view }: { data: Data; view: View }) {
  return (
    <thead>
      <tr>
        <th className="margin stay">Criterion</th>
        {data.editions.map((e, i) => (
          <th
            key={e.scorecard.edition}
            className="num min-w-[150px] text-ink! max-sm:min-w-[96px] max-sm:whitespace-normal!"
          >
            <EditionMark index={i} />
            <EditionLink edition={e.scorecard.edition} name={e.name} search={view.carry} />
            {e.scorecard.edition === data.baseline ? (
              <span className="block text-[12px] font-normal text-soft">baseline</span>
            ) : data.against[e.scorecard.edition] && data.against[e.scorecard.edition] !== data.baseline ? (
              <span className="block text-[12px] font-normal text-soft">
                against {nameIn(data, data.against[e.scorecard.edition])}
              </span>
            ) : null}
          </th>
        ))}
      </tr>
    </thead>
  );
}

/** Side-by-side tests, each worth one criterion in the head-to-head. */
function Placings({ data }: { data: Data }) {
  const placings = data.placings ?? [];
  if (placings.length === 0) return null;
  const placeIn = (order: string[][], edition: string) => {
    const at = order.findIndex((tied) => tied.includes(edition));
    return at < 0
      ? undefined
      : { place: 1 + order.slice(0, at).reduce((n, tied) => n + tied.length, 0), tied: order[at].length > 1 };
  };
  return (
    <>
      <tr className="band">
        <th scope="row" className="margin stay">
          Side by side
        </th>
        <td colSpan={data.editions.length} className="text-[13px] text-soft">
          ranks in one test, not scored
        </td>
      </tr>
      {placings.map((p) => (
        <tr key={p.question}>
          <th
            scope="row"
            className="margin stay max-w-[320px] whitespace-normal! max-md:max-w-[140px] max-sm:max-w-[104px]"
          >
            {p.question}
          </th>
          {data.editions.map((e) => {
            const at = placeIn(p.order, e.scorecard.edition);
            return (
              <td key={e.scorecard.edition} className="num">
                {at ? (
                  <>
                    place {at.place}
                    {at.tied && <span className="block text-[12px] text-soft">shared</span>}
                  </>
                ) : (
                  <span className="text-soft">{none}</span>
                )}
              </td>
            );
          })}
        </tr>
      ))}
    </>
  );
}

const best = (values: (number | null | undefined)[]) => {
  const there = values.filter((v) => v != null);
  const top = Math.max(...there);
  return there.length > 1 && there.some((v) => v < top - 1e-9) ? top : NaN;
};

/** A value with the mark of the row's winner, which is a shape and a word. */
function Cell({ text, wins, children }: { text: string; wins: boolean; children?: React.ReactNode }) {
  return (
    <td className="num max-sm:whitespace-normal!">
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
  // Editions in a dead heat share their rank: none of them is the best.
  const alone = (rank?: number | null) => !rank || data.editions.filter((e) => e.rank === rank).length === 1;
  return (
    <>
      <tr>
        <th scope="row" className="margin stay font-medium!">
          Score
        </th>
        {data.editions.map((e) => (
          <Cell
            key={e.scorecard.edition}
            text={score(e.scorecard.overall)}
            wins={e.scorecard.overall === best(overall) && alone(e.rank)}
          >
            <span className="block text-[12px] text-soft">
              {e.rank ? `rank ${e.rank}` : e.scorecard.barred.length ? "barred" : "provisional"}
            </span>
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

function SectionRows({
  section,
  index,
  data,
  list,
  show,
}: {
  section: Checklist["sections"][number];
  index: number;
  data: Data;
  list: Checklist;
  show: Show;
}) {
  const rows = new Map(data.criteria.map((c) => [c.criterion, c]));
  const shown = section.criteria.filter((c) => {
    const r = rows.get(c.key);
    return c.kind !== "fact" && r && (show === "" || (show === "differences" ? r.differs : r.close));
  });
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
      {shown.length === 0 && (
        <tr>
          <td className="margin stay text-[13px] text-soft italic" colSpan={data.editions.length + 1}>
            {show === "close" ? "no row is too close to call" : "no row differs"}
          </td>
        </tr>
      )}
      {shown.map((c) =>
        c.kind === "measure" ? (
          <MeasureRows key={c.key} criterion={c} data={data} list={list} />
        ) : (
          <PointsRow key={c.key} criterion={c} data={data} row={rows.get(c.key)} />
        ),
      )}
    </>
  );
}

/** How a cell compares with its baseline, in words. */
function Verdict({ cell, base }: { cell?: Schemas["CriterionCell"]; base?: number | null }) {
  if (!cell?.verdict) return null;
  const equal = cell.verdict === "too close" && cell.points === base;
  return (
    <span className="block text-[12px] text-soft">
      {equal ? "equal" : cell.verdict === "too close" ? "too close to call" : cell.verdict}
      {cell.caution && `, ${cell.caution}`}
    </span>
  );
}

/** An edition by name, wherever the comparison speaks of it. */
export const nameIn = (data: Data, edition: string) => (data.names[edition] ? said(data.names[edition]) : edition);

const cellOf = (e: Data["editions"][number] | undefined, key: string) =>
  e?.scorecard.criteria.find((x) => x.key === key);

function PointsRow({ criterion: c, data, row }: { criterion: Criterion; data: Data; row?: Schemas["CriterionRow"] }) {
  const points = data.editions.map((e) => cellOf(e, c.key)?.points);
  return (
    <tr>
      <th scope="row" className="margin stay max-md:max-w-[140px] max-sm:max-w-[104px]" title={c.guidance}>
        {titleOf(c)} <span className="text-[12px] text-soft">points</span>
      </th>
      {data.editions.map((e, i) => {
        const cell = cellOf(e, c.key);
        const close = row?.cells.some(
          (x) =>
            x.verdict === "too close" && (x.edition === e.scorecard.edition || e.scorecard.edition === data.baseline),
        );
        return points[i] != null ? (
          <Cell key={e.scorecard.edition} text={score(points[i])} wins={points[i] === best(points) && !close}>
            <Verdict
              cell={row?.cells.find((x) => x.edition === e.scorecard.edition)}
              base={
                cellOf(
                  data.editions.find((x) => x.scorecard.edition === data.against[e.scorecard.edition]),
                  c.key,
                )?.points
              }
            />
          </Cell>
        ) : (
          <td key={e.scorecard.edition} className="num text-soft italic max-sm:whitespace-normal!" title={cell?.reason}>
            {cell?.state.replace("-", " ") ?? none}
          </td>
        );
      })}
    </tr>
  );
}

/** A measure: a row for each rig that any of them was measured on. */
function MeasureRows({ criterion: c, data, list }: { criterion: Criterion; data: Data; list: Checklist }) {
  const rigs = [
    ...new Set(
      data.editions.flatMap((e) =>
        [...(cellOf(e, c.key)?.rigs ?? []), ...counting(cellOf(e, c.key)?.estimated)].map((r) => r.rig),
      ),
    ),
  ].sort();
  const stands = data.criteria.find((r) => r.criterion === c.key);
  return rigs.map((rig, at) => {
    const values = data.editions.map((e) => cellOf(e, c.key)?.rigs?.find((r) => r.rig === rig)?.value);
    const turned = values.map((v) => (v == null ? null : c.better === "lower" ? -v : v));
    const winner = best(turned);
    const rows = data.rows.filter((r) => r.criterion === c.key && r.rig === rig);
    return (
      <tr key={rig}>
        <th scope="row" className="margin stay max-md:max-w-[140px] max-sm:max-w-[104px]" title={c.guidance}>
          {titleOf(c)}{" "}
          <span className="text-[12px] text-soft">{[c.unit, rig, direction(c)].filter(Boolean).join(" · ")}</span>
          {at === 0 && contextText(c, list) && (
            <span className="block text-[12px] text-soft">{contextText(c, list)}</span>
          )}
        </th>
        {data.editions.map((e, i) => {
          const row = rows.find((r) => r.edition === e.scorecard.edition);
          if (row?.verdict === "not comparable")
            return (
              <td key={e.scorecard.edition} className="num text-[12px] text-soft max-sm:whitespace-normal!">
                not comparable
                <span className="block">{row.reason}</span>
              </td>
            );
          const estimate = counting(cellOf(e, c.key)?.estimated).find((x) => x.rig === rig);
          if (estimate)
            return (
              <td
                key={e.scorecard.edition}
                className="num text-soft max-sm:whitespace-normal!"
                title={estimateText(estimate, c.unit)}
              >
                <em>{figure(estimate.value)}</em>
                <span className="block text-[12px]">estimated, not compared</span>
              </td>
            );
          const contradiction =
            at === 0 ? stands?.cells.find((x) => x.edition === e.scorecard.edition)?.contradiction : undefined;
          const close = rows.some(
            (r) =>
              r.verdict === "too close" && (r.edition === e.scorecard.edition || e.scorecard.edition === data.baseline),
          );
          return (
            <Cell key={e.scorecard.edition} text={figure(values[i])} wins={turned[i] === winner && !close}>
              {row && (
                <span className="block text-[12px] text-soft">
                  {row.verdict !== "too close"
                    ? `${change(row.percent)} ${row.verdict}`
                    : row.difference === 0
                      ? "equal"
                      : `too close to call (${change(row.percent)})`}
                  {row.caution && `, ${row.caution}`}
                </span>
              )}
              {contradiction && <span className="block text-[12px] whitespace-normal">{contradiction}</span>}
            </Cell>
          );
        })}
      </tr>
    );
  });
}
