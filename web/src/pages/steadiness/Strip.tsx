import { useMemo } from "react";
import type { Schemas } from "../../api";
import { EditionLink, said } from "../../components/Edition";
import { DataTable } from "../../components/table/DataTable";
import type { Column } from "../../components/table/columns";
import { rounded } from "../../numbers";
import type { View } from "../../view";

// In a field of so many, each rank has a column of its own.
const mostColumns = 30;

/** Shares below this are not drawn, nor fetched. */
export const leastShare = 0.005;

/** Shares of ranks as a strip for each edition: the darker a cell, the more often. */
export function Strip({ data, view }: { data: Schemas["SteadinessView"]; view: View }) {
  const { steadiness: s, names } = data;
  const rows = useMemo(() => [...s.editions].sort((a, b) => a.mean - b.mean), [s]);
  const columns = useMemo(() => columnsOf(names, s.editions.length, view.carry), [names, s, view.carry]);
  const leader = rows[0];
  return (
    <>
      <p className="mb-2">
        {names[leader.edition] && said(names[leader.edition])} is first in{" "}
        <strong className="font-semibold">{share(leader.first)}</strong> of them
        {leader.low === leader.high && leader.low === 1
          ? " and stays first: no similar weights change that."
          : `, and is between rank ${leader.low} and ${leader.high} in nine of ten.`}
      </p>
      <DataTable label="Shares of ranks" file="steadiness" rows={rows} rowKey={(e) => e.edition} columns={columns} />
      {rows.length > mostColumns && (
        <p className="mt-2 text-[13px] text-soft">
          The line shows where nine of ten rankings place an edition, from rank 1 on the left to {rows.length} on the
          right. Bars show the ranks that it has in at least half a percent of the rankings.
        </p>
      )}
    </>
  );
}

function columnsOf(names: Record<string, Schemas["EditionName"]>, ranks: number, carry: string) {
  const columns: Column<Schemas["EditionRanks"]>[] = [
    {
      key: "edition",
      title: "Edition, by mean rank",
      heads: true,
      className: "md:whitespace-nowrap max-md:w-[120px] max-md:min-w-[120px]",
      value: (e) => (names[e.edition] ? said(names[e.edition]) : e.edition),
      cell: (e) =>
        names[e.edition] ? <EditionLink edition={e.edition} name={names[e.edition]} search={carry} /> : e.edition,
    },
    { key: "mean", title: "Mean", number: true, hidden: true, value: (e) => e.mean, cell: (e) => rounded(e.mean, 1) },
    { key: "first", title: "First", number: true, value: (e) => e.first, cell: (e) => share(e.first) },
    {
      key: "low",
      title: "Ranks, 90 %",
      number: true,
      value: (e) => e.low,
      cell: (e) => (e.low === e.high ? e.low : `${e.low}–${e.high}`),
    },
    { key: "high", title: "Lowest rank, 90 %", number: true, hidden: true, value: (e) => e.high },
  ];
  if (ranks > mostColumns)
    columns.push({
      key: "ranks",
      title: `Ranks 1 to ${ranks}`,
      figure: true,
      className: "w-full min-w-[240px]",
      value: () => null,
      cell: (e) => <Track of={e} ranks={ranks} />,
    });
  else
    for (let rank = 1; rank <= ranks; rank++)
      columns.push({
        key: `rank${rank}`,
        title: String(rank),
        number: true,
        className: "px-[1px]! py-[3px]! text-center! text-[11px]",
        value: (e) => shareOf(e, rank),
        cell: (e) => <Cell rank={rank} share={shareOf(e, rank)} />,
      });
  return columns;
}

const shareOf = (e: Schemas["EditionRanks"], rank: number) => e.shares.find((x) => x.rank === rank)?.share ?? 0;

const share = (x: number) => (x > 0 && x < 0.0005 ? "under 0.1 %" : `${rounded(100 * x, x > 0 && x < 0.1 ? 1 : 0)} %`);

/** How dark a cell of the share 1 is, in percent of ink: dark enough to see, and light enough to read on. */
const darkest = 30;

/** A cell that is the darker the larger its share, with its figure, above a bar as long as the share. */
function Cell({ rank, share: x }: { rank: number; share: number }) {
  return (
    <span
      className="relative block h-[25px] min-w-[26px]"
      style={{
        background: `color-mix(in srgb, var(--ink) ${darkest * x}%, color-mix(in srgb, var(--wash) 60%, transparent))`,
      }}
      title={`rank ${rank}: ${share(x)}`}
    >
      {x >= leastShare && (
        <span className="absolute bottom-0 left-0 block h-[3px] bg-ink/60" style={{ width: `${100 * x}%` }} />
      )}
      <span className="relative leading-[23px]">{x >= leastShare ? rounded(100 * x, 0) : ""}</span>
    </span>
  );
}

/** The same where there are too many ranks for columns: a line for nine of ten, bars for single ranks. */
function Track({ of: e, ranks }: { of: Schemas["EditionRanks"]; ranks: number }) {
  const at = (rank: number) => `${(100 * (rank - 1)) / ranks}%`;
  const most = Math.max(...e.shares.map((x) => x.share), leastShare);
  return (
    <span
      role="img"
      aria-label={`ranks ${e.low} to ${e.high} in nine of ten`}
      className="relative block h-[25px] bg-wash/60"
    >
      {e.shares.map((x) => (
        <span
          key={x.rank}
          className="absolute bottom-[3px] block bg-ink/35"
          style={{ left: at(x.rank), width: `max(1px, ${100 / ranks}%)`, height: `${(80 * x.share) / most}%` }}
        />
      ))}
      <span
        className="absolute bottom-0 block h-[3px] bg-accent"
        style={{ left: at(e.low), width: `max(3px, ${(100 * (e.high - e.low + 1)) / ranks}%)` }}
      />
    </span>
  );
}
