import { useQuery } from "@tanstack/react-query";
import { ChevronDown, ChevronRight } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { api, take, type Schemas } from "../api";
import { CarryAway } from "../components/CarryAway";
import { Choice } from "../components/Choice";
import { EditionLink, said } from "../components/Edition";
import { DotScale, ScoreDot, SectionBar, SectionMark } from "../components/Figures";
import { Frame, useAbout } from "../components/Frame";
import { Empty, Failure, Loading } from "../components/States";
import { moment, percent, rounded, score } from "../numbers";
import { useView } from "../view";

type Entry = Schemas["RankingEntry"];
type Heading = Schemas["Heading"];
export type View = ReturnType<typeof useView>;

const mostCompared = 4;

export function RankingPage() {
  const view = useView();
  const section = view.section || undefined;
  const ranking = useQuery({
    queryKey: ["ranking", view.query, section],
    queryFn: () => take(api.GET("/ranking", { params: { query: { ...view.query, section } } })),
    placeholderData: (old) => old,
  });
  if (ranking.isPending)
    return (
      <Frame title="Ranking">
        <Loading what="the ranking" />
      </Frame>
    );
  if (ranking.isError)
    return (
      <Frame title="Ranking">
        <Failure error={ranking.error} again={() => ranking.refetch()} />
      </Frame>
    );
  const { heading, ranking: ranked, provisional, barred } = ranking.data;
  return (
    <Frame title="Ranking">
      <Title heading={heading} count={ranked.length} />
      <Controls heading={heading} view={view} />
      {ranked.length + provisional.length + barred.length === 0 ? (
        <Empty>No review has been accepted on this checklist version yet. Once a lead accepts one, its edition appears here.</Empty>
      ) : (
        <>
          <Wide heading={heading} entries={ranked} view={view} />
          <Narrow heading={heading} entries={ranked} view={view} />
          <Remarks heading={heading} ranked={ranked} />
          <Apart heading={heading} provisional={provisional} barred={barred} view={view} />
          <section className="mt-8">
            <h2 className="sr-only">Carry it away</h2>
            <CarryAway what="ranking" title="This ranking as a file" forms={["csv", "json", "xlsx", "md", "svg", "png"]} query={{ ...view.query, section }} />
            <CarryAway what="scorecards" title="Its scorecards" forms={["csv", "json", "xlsx", "md"]} query={view.query} />
          </section>
        </>
      )}
    </Frame>
  );
}

function Title({ heading, count }: { heading: Heading; count: number }) {
  const about = useAbout();
  return (
    <>
      <h1>
        Ranking{" "}
        {heading.audience && (
          <em>
            for {heading.audienceTitle || heading.audience}
          </em>
        )}
      </h1>
      <p className="text-[13px] text-soft">
        {heading.title}, {heading.checklist} · {count} editions ranked
        {about.data && <> · as of {moment(about.data.now)}</>}
        {heading.orderedBy && <> · ordered by {heading.sections.find((s) => s.key === heading.orderedBy)?.title ?? heading.orderedBy}</>}
      </p>
    </>
  );
}

export function Controls({ heading, view }: { heading: Heading; view: View }) {
  const picked = view.search.getAll("edition");
  const compare = new URLSearchParams(view.carry);
  for (const e of picked) compare.append("edition", e);
  return (
    <div className="my-3 flex flex-wrap items-baseline gap-x-6 gap-y-2 text-[13px]">
      <Choice
        label="Audience"
        value={view.audience}
        onChange={(audience) => view.set({ audience })}
        options={[{ value: "", label: "Everybody (default)" }, ...heading.audiences.map((a) => ({ value: a.key, label: a.title || a.key }))]}
      />
      <Choice
        label="Rigs"
        value={view.commonRigs ? "common" : ""}
        onChange={(rigs) => view.set({ rigs })}
        options={[
          { value: "", label: "All" },
          { value: "common", label: "Those that all have" },
        ]}
      />
      <Choice
        label="Ordered by"
        value={view.section}
        onChange={(section) => view.set({ section })}
        options={[{ value: "", label: "Overall score" }, ...heading.sections.map((s) => ({ value: s.key, label: s.title }))]}
      />
      <span className="ml-auto">
        {picked.length >= 2 ? (
          <Link className="act" to={`/compare?${compare}`}>
            Compare {picked.length} chosen
          </Link>
        ) : (
          <span className="text-soft">{picked.length === 1 ? "Choose another to compare" : "Choose two to four to compare"}</span>
        )}
      </span>
    </div>
  );
}

/** Where an entry stands within its dead heat. */
function heat(entries: Entry[], i: number): "first" | "middle" | "last" | undefined {
  const here = entries[i];
  if (!here.deadHeat) return undefined;
  const joins = (j: number) => entries[j]?.deadHeat && entries[j].rank === here.rank;
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
      onChange={() => view.set({ edition: on ? picked.filter((e) => e !== entry.edition) : [...picked, entry.edition] })}
      className="h-3.5 w-3.5 align-[-2px] accent-(--accent)"
    />
  );
}

function Wide({ heading, entries, view }: { heading: Heading; entries: Entry[]; view: View }) {
  const picked = view.search.getAll("edition");
  return (
    <table className="ledger max-md:hidden">
      <thead>
        <tr>
          <th className="w-8">
            <span className="sr-only">Compare</span>
          </th>
          <th className="margin num w-[64px]">Rank</th>
          <th className="pl-6!">Edition</th>
          <th className="num">Score</th>
          <th className="w-[210px]">
            <DotScale />
          </th>
          {heading.sections.map((s, i) => (
            <th key={s.key} className="num w-[104px]">
              <span className="whitespace-nowrap">
                <SectionMark index={i} />
                {s.title}
              </span>
              <span className="block text-[12px] font-normal">{percent(s.share)}</span>
            </th>
          ))}
          <th className="num">Coverage</th>
        </tr>
      </thead>
      <tbody>
        {entries.map((e, i) => (
          <tr key={e.edition} data-chosen={picked.includes(e.edition)}>
            <td>
              <Pick entry={e} view={view} />
            </td>
            <td className="margin num bracket font-serif text-[17px] font-semibold" data-heat={heat(entries, i)}>
              {heat(entries, i) === "middle" || heat(entries, i) === "last" ? <span className="sr-only">{e.rank}</span> : e.rank}
            </td>
            <td className="pl-6! whitespace-nowrap">
              <EditionLink edition={e.edition} name={e.name} search={view.carry} />
              <Flags entry={e} />
            </td>
            <td className="num text-[15px] font-semibold">{score(e.overall)}</td>
            <td title={e.low != null && e.high != null ? `can still become ${score(e.low)} to ${score(e.high)}` : undefined}>
              <ScoreDot value={e.overall} low={e.low} high={e.high} />
            </td>
            {e.sections.map((s, n) => (
              <td key={s.key} className="num">
                <SectionBar value={s.score} index={n} />
              </td>
            ))}
            <td className="num">{percent(e.coverage)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Flags({ entry }: { entry: Entry }) {
  const flags = [entry.preRelease && "pre-release", entry.alone && "accepted by its only reviewer", entry.rigsDiffer && "rigs differ", entry.gatesOpen.length > 0 && "gate open", entry.decidedBy && `by ${entry.decidedBy}`].filter(Boolean);
  return flags.length ? <span className="ml-2 text-[12px] text-soft">· {flags.join(" · ")}</span> : null;
}

function Narrow({ heading, entries, view }: { heading: Heading; entries: Entry[]; view: View }) {
  const [open, setOpen] = useState("");
  return (
    <ol className="border-t border-ink md:hidden">
      {entries.map((e, i) => (
        <li key={e.edition} className="border-b border-rule even:bg-wash/50" data-chosen={view.search.getAll("edition").includes(e.edition)}>
          <div className="flex items-center gap-2 py-1.5">
            <span className="bracket block w-12 self-stretch pt-0.5 text-right font-serif text-[17px] font-semibold" data-heat={heat(entries, i)} style={{ borderRight: "1px solid var(--accent)", paddingRight: 8 }}>
              <span className={heat(entries, i) === "middle" || heat(entries, i) === "last" ? "sr-only" : ""}>{e.rank}</span>
            </span>
            <span className="min-w-0 flex-1 leading-tight">
              <EditionLink edition={e.edition} name={e.name} search={view.carry} />
            </span>
            <span className="w-16">
              <ScoreDot value={e.overall} low={e.low} high={e.high} />
            </span>
            <span className="w-10 text-right font-semibold">{score(e.overall)}</span>
            <button type="button" aria-expanded={open === e.edition} aria-label={`More on ${said(e.name)}`} className="p-1.5 text-accent" onClick={() => setOpen(open === e.edition ? "" : e.edition)}>
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
              <label className="col-span-2 flex items-center gap-2">
                <Pick entry={e} view={view} /> choose to compare
              </label>
            </div>
          )}
        </li>
      ))}
    </ol>
  );
}

/** What the eye should not have to work out: the heat at the top. */
function Remarks({ heading, ranked }: { heading: Heading; ranked: Entry[] }) {
  const first = ranked.filter((e) => e.rank === 1);
  if (first.length < 2) return null;
  const apart = (first[0].overall ?? 0) - (first.at(-1)?.overall ?? 0);
  return (
    <p className="mt-3 text-[13px] text-soft">
      {first.map((e) => e.name.distribution).join(" and ")} are a dead heat: {rounded(Math.abs(apart), 1)} points apart, margin {rounded(heading.margin, 1)}.
    </p>
  );
}

function Apart({ heading, provisional, barred, view }: { heading: Heading; provisional: Entry[]; barred: Entry[]; view: View }) {
  return (
    <div className="mt-6 grid gap-8 md:grid-cols-2">
      {provisional.length > 0 && (
        <section>
          <h2 className="border-b border-ink pb-1">Provisional</h2>
          <p className="py-1 text-[13px] text-soft">Less than {percent(heading.minCoverage)} of the checklist answered: too little for a rank. By score.</p>
          <ul>
            {provisional.map((e) => (
              <li key={e.edition} className="flex justify-between gap-4 border-b border-rule py-1">
                <EditionLink edition={e.edition} name={e.name} search={view.carry} />
                <span className="whitespace-nowrap">
                  {score(e.overall)} <span className="text-soft">· {percent(e.coverage)} answered · possible {score(e.low)}–{score(e.high)}</span>
                </span>
              </li>
            ))}
          </ul>
        </section>
      )}
      {barred.length > 0 && (
        <section>
          <h2 className="border-b border-ink pb-1">Barred</h2>
          <p className="py-1 text-[13px] text-soft">Failed a must, whatever the total. In alphabetical order.</p>
          <ul>
            {barred.map((e) => (
              <li key={e.edition} className="flex flex-wrap justify-between gap-x-4 border-b border-rule py-1">
                <EditionLink edition={e.edition} name={e.name} search={view.carry} />
                <span className="text-soft">{e.barred.map((b) => `${b.criterion}: ${score(b.points)} points, ${score(b.needs)} needed`).join("; ")}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
    </div>
  );
}
