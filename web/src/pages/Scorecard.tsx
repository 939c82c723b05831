import { useQuery } from "@tanstack/react-query";
import { Fragment, useEffect, useRef } from "react";
import { Link, useParams } from "react-router";
import { api, take, type Schemas } from "../api";
import {
  answerText,
  changedWords,
  contextWords,
  titleIn,
  titleOf,
  useChecklist,
  type Checklist,
  type Criterion,
} from "../checklist";
import { Choice } from "../components/Choice";
import { ScoreDot, SectionMark } from "../components/Figures";
import { said } from "../components/Edition";
import { Frame } from "../components/Frame";
import { Framed } from "../components/Framed";
import { Points } from "../components/Points";
import { useWide } from "../components/table/wide";
import { Sideways } from "../components/Sideways";
import { Failure, Loading } from "../components/States";
import { scatterWords, startsWords } from "../scatter";
import { useControl } from "./catalogue/Control";
import { counting, estimateText } from "../estimates";
import { figure, moment, percent, rounded, score } from "../numbers";
import { nameOf } from "../checklists";
import { useRules } from "../rules";
import { InReports } from "../components/InReports";
import { LineLink } from "../components/LineLink";
import { useView } from "../view";
import { ReviewRecord } from "./ReviewRecord";
import { sourceKey } from "../keys";
import { failed } from "../failed";

export default function ScorecardPage() {
  const path = useParams() as { distribution: string; release: string; edition: string };
  const view = useView();
  const query = useQuery({
    queryKey: sourceKey("scorecard", path, view.query),
    queryFn: () =>
      take(api.GET("/scorecards/{distribution}/{release}/{edition}", { params: { path, query: view.query } })),
    placeholderData: (old) => old,
  });
  const list = useChecklist(query.data?.heading.checklist);
  const title = query.data
    ? `${query.data.name.distribution} ${query.data.name.release} ${query.data.name.edition}`
    : "Scorecard";
  return (
    <Frame title={title}>
      {failed(query) ? (
        <Failure error={query.error} again={() => query.refetch()} />
      ) : failed(list) ? (
        <Failure error={list.error} again={() => list.refetch()} />
      ) : !query.data || !list.data ? (
        <Loading what="the scorecard" />
      ) : (
        <Card data={query.data} list={list.data} view={view} />
      )}
    </Frame>
  );
}

type Data = Schemas["ScorecardView"];

function Card({ data, list, view }: { data: Data; list: Checklist; view: ReturnType<typeof useView> }) {
  const { heading, name, scorecard: card } = data;
  const [distribution, release, edition] = card.edition.split("/");
  const traces = useQuery({
    queryKey: sourceKey("traces", card.edition, view.query),
    queryFn: () =>
      take(
        api.GET("/scorecards/{distribution}/{release}/{edition}/traces", {
          params: { path: { distribution, release, edition }, query: view.query },
        }),
      ),
  });
  const byKey = new Map((traces.data?.traces ?? []).map((t) => [t.criterion, t.readings]));
  const compare = new URLSearchParams(view.carry);
  compare.append("edition", card.edition);
  return (
    <>
      <p className="text-[13px] text-soft">
        Scorecard · {heading.title}, {heading.checklist}
      </p>
      <h1>
        {name.distribution} {name.release} <span className="font-normal">{name.edition}</span>{" "}
        {heading.audience && <em>for {heading.audienceTitle || heading.audience}</em>}
      </h1>
      <div className="my-3 flex flex-wrap items-baseline gap-6 text-[13px]">
        <Choice
          label="Audience"
          value={view.audience}
          onChange={(audience) => view.set({ audience })}
          options={[
            { value: "", label: "Everybody (default)" },
            ...heading.audiences.map((a) => ({ value: a.key, label: titleOf(a) })),
          ]}
        />
        <LineLink edition={card.edition} search={view.carry} />
        <Link className="act ml-auto" to={`/?${compare}`}>
          Choose editions to compare
        </Link>
      </div>
      <Sum data={data} list={list} />
      {list.sections.map((s, i) => (
        <SectionTable
          key={s.key}
          list={list}
          index={i}
          section={s}
          data={data}
          traces={byKey}
          open={view.search.getAll("open")}
          setOpen={(open) => view.set({ open })}
        />
      ))}
      <Facts data={data} list={list} />
      <ReviewRecord review={card.review} list={list} edition={card.edition} />
      <InReports edition={card.edition} />
      <Framed path={`/frames/edition/${card.edition}`} title={`Scorecard of ${said(data.name)}`} height={300} />
    </>
  );
}

function Sum({ data, list }: { data: Data; list: Checklist }) {
  const { scorecard: card, heading, rank } = data;
  return (
    <section
      aria-label="Sum"
      className="my-4 grid gap-x-10 gap-y-3 border-t border-b border-ink py-3 md:grid-cols-[auto_auto_1fr]"
    >
      <p>
        <span className="block text-[13px] text-soft">
          {rank ? "Rank" : card.barred.length ? "Barred" : "Provisional"}
        </span>
        <span className="font-serif text-[32px] leading-none font-semibold">{rank || "–"}</span>
      </p>
      <p>
        <span className="block text-[13px] text-soft">Score</span>
        <span className="font-serif text-[32px] leading-none font-semibold">{score(card.overall)}</span>
        <span className="ml-2 text-soft">
          {rounded(card.total ?? 0, 0)} of {heading.maximum} points
        </span>
      </p>
      <div className="max-w-xl">
        <ScoreDot value={card.overall} low={card.low} high={card.high} />
        <p className="text-[13px] text-soft">
          Coverage {percent(card.coverage)}
          {score(card.low) === score(card.high)
            ? ""
            : `; the score can still become ${score(card.low)} to ${score(card.high)}`}
          . {percent(card.measuredShare)} of it comes from measurements and checks, not grades.
          {card.rigsDiffer && " It has no measures on a rig that others have."}
          {!!card.estimated?.length &&
            ` On a rig without measures, the value is estimated: ${card.estimated.map((c) => titleIn(list, c)).join(", ")}.`}
        </p>
        {card.barred.map((b) => (
          <p key={b.criterion} className="text-accent">
            Barred: {titleIn(list, b.criterion)} has {score(b.points)} points; {score(b.needs)} are required.
          </p>
        ))}
        {card.gatesOpen.map((g) => (
          <p key={g}>Required, and not tested yet: {titleIn(list, g)}.</p>
        ))}
      </div>
    </section>
  );
}

type Traced = Schemas["TracedReading"];
type Traces = Map<string, Traced[]>;

type Opened = { open: string[]; setOpen: (keys: string[]) => void };

function SectionTable({
  index,
  section,
  data,
  traces,
  open,
  setOpen,
  list,
}: { list: Checklist; index: number; section: Checklist["sections"][number]; data: Data; traces: Traces } & Opened) {
  const card = data.scorecard;
  const own = card.sections[index];
  const wide = useWide();
  return (
    <section className="mt-6">
      <h2 className="mb-1 flex items-baseline">
        <SectionMark index={index} />
        {titleOf(section)}
        <span className="ml-3 font-sans text-[13px] font-normal text-soft">
          {score(own.score)} · {percent(own.share)} of the weight
        </span>
      </h2>
      <Sideways label={titleOf(section)}>
        <table className="ledger">
          <thead>
            <tr>
              <th className={wide ? "margin stay w-[34%] min-w-[150px]" : "margin"}>
                {wide ? "Criterion" : "Criterion and result"}
              </th>
              {wide && <th>Result</th>}
              <th className={wide ? "num w-[140px]" : "num w-[80px]"}>Points</th>
              {wide && (
                <>
                  <th className="num w-[76px]" title="its share of the overall score">
                    Weight
                  </th>
                  <th className="num w-[64px]" title="points × weight: what it contributes to the score">
                    Contribution
                  </th>
                </>
              )}
            </tr>
          </thead>
          <tbody>
            {section.criteria.map((c) => {
              const x = card.criteria.find((s) => s.key === c.key);
              return (
                x && (
                  <Line
                    key={c.key}
                    list={list}
                    wide={wide}
                    criterion={c}
                    cell={x}
                    index={index}
                    traces={traces.get(c.key) ?? []}
                    open={open.includes(c.key)}
                    first={open[0] === c.key}
                    toggle={() => setOpen(open.includes(c.key) ? open.filter((k) => k !== c.key) : [...open, c.key])}
                  />
                )
              );
            })}
          </tbody>
        </table>
      </Sideways>
    </section>
  );
}

function Line({
  criterion: c,
  cell,
  index,
  traces,
  open,
  first,
  toggle,
  list,
  wide,
}: {
  list: Checklist;
  /** Whether there is room for columns; otherwise the result is below the title. */
  wide: boolean;
  criterion: Criterion;
  cell: Schemas["CriterionScore"];
  index: number;
  traces: Traced[];
  open: boolean;
  first: boolean;
  toggle: () => void;
}) {
  const row = useRef<HTMLTableRowElement>(null);
  // An address that opens criteria leads to the first of them.
  // biome-ignore lint/correctness/useExhaustiveDependencies: only when the page is opened
  useEffect(() => {
    if (first) row.current?.scrollIntoView({ block: "start" });
  }, []);
  const doubtful = traces.filter(
    (t) => t.counts && t.scatter && (t.scatter.unsteady || t.scatter.tooFew || t.scatter.outliers.length),
  );
  const flags = [
    cell.inheritedFrom && `from ${cell.inheritedFrom}`,
    doubtful.some((t) => t.scatter!.unsteady) && "unsteady",
    doubtful.some((t) => t.scatter!.tooFew) && "too few runs",
    doubtful.some((t) => t.scatter!.outliers.length) && "a run is an outlier",
    traces.some((t) => t.counts && t.reading.adjustment) && "adjusted",
    cell.leftOut?.length && "a value has no place in the scoring rule",
  ].filter(Boolean);
  const found = (
    <>
      <Found criterion={c} cell={cell} traces={traces} />
      {flags.length > 0 && <span className="ml-2 text-[12px] text-soft not-italic">{flags.join(" · ")}</span>}
    </>
  );
  const weight = cell.weight ? `${rounded(100 * cell.weight, 1)} %` : "–";
  const adds = cell.points != null ? rounded(cell.points * cell.weight, 2) : "–";
  return (
    <>
      <tr data-chosen={open} ref={row}>
        <th scope="row" className={wide ? "margin stay max-w-[320px]" : "margin"} title={c.guidance}>
          <button
            type="button"
            className="text-left hover:underline"
            aria-expanded={open}
            onClick={toggle}
            disabled={traces.length === 0}
          >
            <span aria-hidden="true" className="mr-1 inline-block w-3 text-soft">
              {traces.length > 0 && (open ? "−" : "+")}
            </span>
            {titleOf(c)}
          </button>
          {c.kind === "grade" && <span className="ml-2 text-[12px] text-soft">grade</span>}
          {!wide && <div className={`pl-4 ${cell.state === "answered" ? "" : "text-soft italic"}`}>{found}</div>}
        </th>
        {wide && <td className={cell.state === "answered" ? "" : "text-soft italic"}>{found}</td>}
        <td className="num">
          <Points value={cell.points} index={index} />
        </td>
        {wide && (
          <>
            <td className="num">{weight}</td>
            <td className="num">{adds}</td>
          </>
        )}
      </tr>
      {open && (
        <tr data-chosen="true">
          {wide && <td className="margin" />}
          <td colSpan={wide ? 4 : 2}>
            {!wide && (
              <p className="text-[13px]">
                Weight {weight}, contributes {adds}
              </p>
            )}
            <HowItCameAbout criterion={c} cell={cell} traces={traces} list={list} />
          </td>
        </tr>
      )}
    </>
  );
}

/** Every reading of a criterion: which counted, which did not and why. */
function HowItCameAbout({
  criterion: c,
  cell,
  traces,
  list,
}: {
  list: Checklist;
  criterion: Criterion;
  cell: Schemas["CriterionScore"];
  traces: Traced[];
}) {
  const rules = useRules(nameOf(list));
  const rigs = (cell.rigs ?? []).map((r) => {
    const value = r.value != null ? `${figure(r.value)} ${c.unit ?? ""}, ` : "";
    return `${r.rig || "no rig"} ${value}${score(r.points)} points`;
  });
  return (
    <div className="py-1">
      <p className="text-[13px]">
        {[rules.get(c.key)?.words, rigs.length > 1 && `by rig: ${rigs.join("; ")}`].filter(Boolean).join(" · ")}
      </p>
      {(cell.estimated ?? []).map((x) => (
        <p key={x.rig} className="text-[13px]">
          {estimateText(x, c.unit)}: {score(x.points)} points. It has no reading and counts in the score only.
        </p>
      ))}
      <ul>
        {traces.map((t) => (
          <li key={t.review + t.reading.id} className="border-t border-rule py-1 text-[13px]">
            <span className={t.counts ? "font-medium" : "text-soft line-through decoration-1"}>
              {answerText(t.reading.answer, c)}
            </span>{" "}
            {t.value != null && t.reading.answer.runs && t.reading.answer.runs.length > 1 && (
              <span>
                → {figure(t.value)} {c.unit}
              </span>
            )}{" "}
            <span className="text-soft">
              {[
                t.reading.reviewer,
                t.reading.rig,
                contextWords(t.reading.context, list),
                moment(t.reading.at),
                t.edition !== undefined && cell.inheritedFrom ? `made for ${t.edition}` : "",
              ]
                .filter(Boolean)
                .join(" · ")}
            </span>
            {t.reading.adjustment && (
              <span className="block">
                {t.reading.adjustment.amount} {c.unit} subtracted from every run: {t.reading.adjustment.reason}
              </span>
            )}
            {t.counts ? "" : <span className="block">not counted: {t.why}</span>}
            {t.scatter && scatterWords(t.scatter, c) && <span className="block">{scatterWords(t.scatter, c)}</span>}
            {t.changed && <span className="block">{changedWords(t.changed)}</span>}
            {t.reading.boots && <span className="block">{startsWords(t.reading.boots)}</span>}
            {t.reading.rig && <OutOfBand rig={t.reading.rig} at={t.reading.at} />}
            {t.reading.repeat && <span className="block">measured again after a restart</span>}
            {t.reading.note && <span className="block text-soft">“{t.reading.note}”</span>}
          </li>
        ))}
      </ul>
    </div>
  );
}

/** Says that a reading was made while its rig was not the machine that it was. */
function OutOfBand({ rig, at }: { rig: string; at: string }) {
  const out = useControl(rig).data?.chart?.out.some(
    (p) => Date.parse(at) >= Date.parse(p.from) && (!p.until || Date.parse(at) < Date.parse(p.until)),
  );
  if (!out) return null;
  return (
    <span className="block">
      measured while{" "}
      <Link className="act" to={`/rigs/${rig}`}>
        {rig}
      </Link>{" "}
      was outside its band: the machine itself had changed
    </span>
  );
}

function Found({
  criterion: c,
  cell,
  traces,
}: {
  criterion: Criterion;
  cell: Schemas["CriterionScore"];
  traces: Traced[];
}) {
  if (cell.state !== "answered")
    return (
      <>
        {cell.state.replace("-", " ")}
        {cell.reason && `: ${cell.reason}`}
      </>
    );
  const rigs = cell.rigs ?? [];
  if (c.kind === "measure")
    return (
      <>
        {rigs.map((r, i) => (
          <Fragment key={r.rig}>
            {i > 0 && <span className="text-soft"> · </span>}
            <span className="md:whitespace-nowrap">
              {r.bounded && "about "}
              {figure(r.value)} {c.unit} {r.rig && <span className="text-[12px] text-soft">{r.rig}</span>}
            </span>
          </Fragment>
        ))}
        {counting(cell.estimated).map((x) => (
          <span key={x.rig} className="text-soft md:whitespace-nowrap" title={estimateText(x, c.unit)}>
            {" "}
            ·{" "}
            <em>
              {figure(x.value)} {c.unit}
            </em>{" "}
            <span className="text-[12px]">{x.rig}, estimated</span>
          </span>
        ))}{" "}
        <span className="ml-1 text-[12px] text-soft">{c.better} is better</span>
      </>
    );
  return rigs.map((rig, i) => (
    <span key={rig.rig}>
      {i > 0 && <span className="text-soft"> · </span>}
      {traces
        .filter((t) => t.counts && (t.reading.rig ?? "") === rig.rig)
        .map((t, n) => (
          <span key={t.reading.id}>
            {n > 0 && <span className="text-soft">, </span>}
            {answerText(t.reading.answer, c)}
            {c.kind === "grade" && <span className="text-[12px] text-soft"> by {t.reading.reviewer}</span>}
            {t.changed && (
              <span className="text-[12px]" title={changedWords(t.changed)}>
                {" "}
                (changed from {t.changed.from})
              </span>
            )}
          </span>
        ))}
      {rig.rig && <span className="text-[12px] text-soft"> {rig.rig}</span>}
    </span>
  ));
}

function Facts({ data, list }: { data: Data; list: Checklist }) {
  if (data.facts.length === 0) return null;
  return (
    <section className="mt-6">
      <h2 className="border-b border-ink pb-1">Facts</h2>
      <dl className="grid max-w-xl grid-cols-[12rem_1fr]">
        {data.facts.map((f) => (
          <div key={f.key} className="col-span-2 grid grid-cols-subgrid border-b border-rule py-1">
            <dt className="text-soft">{titleIn(list, f.key)}</dt>
            <dd>{f.value}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
