import { ChevronDown, ChevronRight } from "lucide-react";
import { Suspense, useEffect, useState } from "react";
import type { Schemas } from "../../api";
import { part } from "../../chunks";
import { EditionLink, said } from "../../components/Edition";
import { DotScale, ScoreDot, SectionBar, SectionMark } from "../../components/Figures";
import { drawnWhole, firstOf, firstWindow, type InView } from "../../components/table/inview";
import { Gap } from "../../components/table/Gap";
import { useWide } from "../../components/table/wide";
import { counted, percent, score } from "../../numbers";
import type { View } from "../../view";
import type { Entries } from "./entries";

export type Entry = Schemas["RankingEntry"];
export type Heading = Schemas["Heading"];

export const mostCompared = 12;

// A name of more letters may take several lines.
const longName = 44;

/** The position of an entry within its dead heat. */
export function heat(
  entries: { at: (i: number) => Pick<Entry, "deadHeat" | "rank"> | undefined },
  i: number,
): "first" | "middle" | "last" | undefined {
  const here = entries.at(i);
  if (!here?.deadHeat) return undefined;
  const joins = (j: number) => j >= 0 && entries.at(j)?.deadHeat && entries.at(j)?.rank === here.rank;
  if (joins(i - 1) && joins(i + 1)) return "middle";
  return joins(i + 1) ? "first" : joins(i - 1) ? "last" : undefined;
}

function Pick({ entry, view }: { entry: Entry; view: View }) {
  const picked = view.search.getAll("edition");
  const on = picked.includes(entry.edition);
  return (
    <input
      type="checkbox"
      aria-label={`Compare ${said(entry.name)}`}
      checked={on}
      disabled={!on && picked.length >= mostCompared}
      onChange={() =>
        view.set({ edition: on ? picked.filter((e) => e !== entry.edition) : [...picked, entry.edition] })
      }
      className="h-3.5 w-3.5 align-[-2px] accent-(--accent)"
    />
  );
}

/** The ranks that an edition keeps to when the weights are varied. */
export const ranksText = (e: Entry) =>
  !e.rankLow ? "" : e.rankLow === e.rankHigh ? `${e.rankLow}` : `${e.rankLow}–${e.rankHigh}`;

/** Places gained or lost, in words for who does not see the arrow. */
export function Gained({ entry: e }: { entry: Entry }) {
  if (e.gained == null) return <span className="text-[12px] text-soft">new</span>;
  if (e.gained === 0) return <span className="text-[12px] text-soft">same</span>;
  const up = e.gained > 0;
  return (
    <span className="text-[12px]" title={`was ${e.was}`}>
      <span aria-hidden="true">{up ? "▲" : "▽"}</span> <span className="sr-only">{up ? "gained" : "lost"}</span>
      {Math.abs(e.gained)}
    </span>
  );
}

interface Shown {
  heading: Heading;
  entries: Entries;
  view: View;
  gains: boolean;
}

const Long = part(() => import("../../components/table/Long"));

/** The entries of a ranking: a table where there is room, cards that open where there is not. */
export function Rows(shown: Shown) {
  const { count } = shown.entries;
  const wide = useWide();
  const draw = (inView: InView<HTMLElement>) =>
    wide ? (
      <Wide {...shown} inView={inView as InView<HTMLTableSectionElement>} />
    ) : (
      <Narrow {...shown} inView={inView as InView<HTMLOListElement>} />
    );
  if (count <= drawnWhole) return draw(firstOf(count));
  return (
    <Suspense fallback={draw(firstOf(firstWindow))}>
      <Long count={count} rowHeight={wide ? 31 : 41}>
        {draw}
      </Long>
    </Suspense>
  );
}

/** Tells which entries are in view. */
function useSeen(entries: Entries, rows: number[]) {
  const { seen } = entries;
  useEffect(() => seen?.(rows));
}

function Wide({ heading, entries, view, gains, inView }: Shown & { inView: InView<HTMLTableSectionElement> }) {
  const picked = view.search.getAll("edition");
  useSeen(entries, inView.rows);
  const columns = 8 + heading.sections.length + (gains ? 1 : 0);
  return (
    <table className="ledger rows" aria-rowcount={entries.count + 1}>
      <thead>
        <tr>
          <th className="w-8">
            <span className="sr-only">Compare</span>
          </th>
          <th className="margin num w-[64px]">Rank</th>
          <th className="num w-[52px]" title="the ranks in 90 % of many draws with varied weights">
            Range
          </th>
          {gains && <th className="num w-[52px]">Change</th>}
          <th className="pl-5!">Edition</th>
          <th className="num">Score</th>
          <th className="w-[170px] print:hidden">
            <DotScale />
          </th>
          {heading.sections.map((s, i) => (
            <th key={s.key} className="num w-[98px]">
              <span className="whitespace-nowrap">
                <SectionMark index={i} />
                {s.title}
              </span>
              <span className="block text-[12px] font-normal">{percent(s.share)}</span>
            </th>
          ))}
          <th className="num" title="share of the weight that is answered">
            Coverage
          </th>
          <th className="num" title="how much of the score comes from measurements and checks, not grades">
            Measured
          </th>
        </tr>
      </thead>
      <tbody ref={inView.place}>
        <Gap height={inView.before} columns={columns} />
        {inView.rows.map((i) => {
          const e = entries.at(i);
          const row = {
            ref: inView.measure,
            "data-index": i,
            "data-even": i % 2 === 1 || undefined,
            "aria-rowindex": i + 2,
          };
          if (!e)
            return (
              <tr key={i} {...row}>
                <td colSpan={columns} className="text-soft">
                  …
                </td>
              </tr>
            );
          return (
            <tr key={e.edition} {...row} data-chosen={picked.includes(e.edition)}>
              <td>
                <Pick entry={e} view={view} />
              </td>
              <td className="margin num bracket font-serif text-[17px] font-semibold" data-heat={heat(entries, i)}>
                {heat(entries, i) === "middle" || heat(entries, i) === "last" ? (
                  <span className="sr-only">{e.rank}</span>
                ) : (
                  e.rank
                )}
              </td>
              <td className="num text-[13px] text-soft">{ranksText(e)}</td>
              {gains && (
                <td className="num">
                  <Gained entry={e} />
                </td>
              )}
              <td className="pl-5!">
                <span className={said(e.name).length > longName ? "" : "whitespace-nowrap"}>
                  <EditionLink edition={e.edition} name={e.name} search={cardOf(e, view)} />
                </span>{" "}
                <Flags entry={e} />
              </td>
              <td className="num text-[15px] font-semibold">{score(e.overall)}</td>
              <td
                title={
                  e.low != null && e.high != null ? `can still become ${score(e.low)} to ${score(e.high)}` : undefined
                }
              >
                <ScoreDot value={e.overall} low={e.low} high={e.high} />
              </td>
              {e.sections.map((s, n) => (
                <td key={s.key} className="num">
                  <SectionBar value={s.score} index={n} />
                </td>
              ))}
              <td className="num">{percent(e.coverage)}</td>
              <td className="num text-soft">{percent(e.measuredShare)}</td>
            </tr>
          );
        })}
        <Gap height={inView.after} columns={columns} />
      </tbody>
    </table>
  );
}

/** Where an entry's scorecard is: of an edition of an earlier version, on that version. */
export const cardOf = (e: Entry, view: View) =>
  e.checklist ? `?${new URLSearchParams({ checklist: e.checklist })}` : view.carry;

const flagsOf = (e: Entry) =>
  [
    e.checklist && `reviewed on ${e.checklist}`,
    e.preRelease && "pre-release",
    e.alone && "accepted by its only reviewer",
    e.rigsDiffer && "rigs differ",
    e.estimated?.length && `estimates in ${counted(e.estimated.length, "measure")}`,
    e.unsteady?.length && `runs scatter in ${counted(e.unsteady.length, "measure")}`,
    e.gatesOpen.length > 0 && `required, not tested: ${e.gatesOpen.join(", ")}`,
    e.decidedBy && `by ${e.decidedBy}`,
  ].filter(Boolean);

function Flags({ entry }: { entry: Entry }) {
  const flags = flagsOf(entry);
  return flags.length ? (
    <span className="inline-block max-w-[13rem] truncate align-bottom text-[12px] text-soft" title={flags.join(" · ")}>
      {flags.join(" · ")}
    </span>
  ) : null;
}

function Narrow({ heading, entries, view, gains, inView }: Shown & { inView: InView<HTMLOListElement> }) {
  const [open, setOpen] = useState("");
  useSeen(entries, inView.rows);
  return (
    <ol ref={inView.place} className="border-t border-ink">
      {inView.before > 0 && <li aria-hidden="true" style={{ height: inView.before }} />}
      {inView.rows.map((i) => {
        const e = entries.at(i);
        const row = {
          ref: inView.measure,
          "data-index": i,
          className: `border-b border-rule ${i % 2 ? "bg-wash/50" : ""}`,
        };
        if (!e)
          return (
            <li key={i} {...row}>
              <span className="block py-2 pl-14 text-soft">…</span>
            </li>
          );
        return (
          <li
            key={e.edition}
            {...row}
            aria-setsize={entries.count}
            aria-posinset={i + 1}
            data-chosen={view.search.getAll("edition").includes(e.edition)}
          >
            <div className="flex items-center gap-2 py-1.5">
              <span
                className="bracket block w-12 self-stretch pt-0.5 text-right font-serif text-[17px] font-semibold"
                data-heat={heat(entries, i)}
                style={{ borderRight: "1px solid var(--accent)", paddingRight: 8 }}
              >
                <span className={heat(entries, i) === "middle" || heat(entries, i) === "last" ? "sr-only" : ""}>
                  {e.rank}
                </span>
              </span>
              <span className="min-w-0 flex-1 leading-tight">
                <EditionLink edition={e.edition} name={e.name} search={cardOf(e, view)} />{" "}
                {gains && <Gained entry={e} />}
              </span>
              <span className="w-16">
                <ScoreDot value={e.overall} low={e.low} high={e.high} />
              </span>
              <span className="w-10 text-right font-semibold">{score(e.overall)}</span>
              <button
                type="button"
                aria-expanded={open === e.edition}
                aria-label={`More on ${said(e.name)}`}
                className="p-1.5 text-accent"
                onClick={() => setOpen(open === e.edition ? "" : e.edition)}
              >
                {open === e.edition ? <ChevronDown size={16} /> : <ChevronRight size={16} />}
              </button>
            </div>
            {open === e.edition && (
              <div className="grid grid-cols-2 gap-x-6 gap-y-2 pr-4 pb-3 pl-14 text-[13px]">
                {heading.sections.map((s, n) => (
                  <span key={s.key}>
                    {s.title} <span className="text-soft">{percent(s.share)}</span>
                    <SectionBar value={e.sections[n]?.score} index={n} />
                  </span>
                ))}
                <span>Coverage {percent(e.coverage)}</span>
                <span>
                  Possible {score(e.low)}–{score(e.high)}
                </span>
                <span>Measured {percent(e.measuredShare)}</span>
                {ranksText(e) && <span>Ranks {ranksText(e)}</span>}
                {flagsOf(e).length > 0 && <span className="col-span-2 text-soft">{flagsOf(e).join(" · ")}</span>}
                <label className="col-span-2 flex items-center gap-2">
                  <Pick entry={e} view={view} /> choose to compare
                </label>
              </div>
            )}
          </li>
        );
      })}
      {inView.after > 0 && <li aria-hidden="true" style={{ height: inView.after }} />}
    </ol>
  );
}
