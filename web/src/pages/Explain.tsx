import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take, type Schemas } from "../api";
import { titleIn, useChecklist, type Checklist } from "../checklist";
import { EditionLabel, said } from "../components/Edition";
import { SectionMark, hue } from "../components/Figures";
import { Frame } from "../components/Frame";
import { OnGround } from "../components/OnGround";
import { Sideways } from "../components/Sideways";
import { Failure, Loading } from "../components/States";
import { counting, estimateText, type Estimate } from "../estimates";
import { counted, rounded, score } from "../numbers";
import { addressOf, useView } from "../view";
import { sourceKey } from "../keys";
import { failed } from "../failed";

/** Why one edition is ahead of another, criterion by criterion. */
export default function ExplainPage() {
  const view = useView();
  const a = view.search.get("a") || undefined;
  const b = view.search.get("b") || undefined;
  const query = useQuery({
    queryKey: sourceKey("explanation", view.ranked, a, b),
    queryFn: () => take(api.GET("/explanation", { params: { query: { ...view.ranked, a, b } } })),
    placeholderData: (old) => old,
  });
  const list = useChecklist(query.data?.heading.checklist);
  return (
    <Frame title={query.data ? whyTitle(query.data) : "Why"}>
      {failed(query) ? (
        <Failure error={query.error} again={() => query.refetch()} />
      ) : !query.data || !list.data ? (
        <Loading what="the explanation" />
      ) : (
        <>
          <Heading data={query.data} />
          <p className="my-3 flex flex-wrap gap-x-6 text-[13px]">
            <Link
              className="act"
              to={addressOf("/explain", view, { a: query.data.explanation.b, b: query.data.explanation.a })}
            >
              Swap the two
            </Link>
            <Link
              className="act"
              to={addressOf("/compare", view, { edition: [query.data.explanation.a, query.data.explanation.b] })}
            >
              Compare all figures
            </Link>
            <Link className="act" to={addressOf("/steadiness", view)}>
              How steady is this ranking?
            </Link>
          </p>
          <Contributions data={query.data} list={list.data} />
        </>
      )}
    </Frame>
  );
}

const whyTitle = ({ explanation: e, names }: Schemas["ExplanationView"]) =>
  `Why ${said(names[e.a])} is ${e.difference >= 0 ? "ahead of" : "behind"} ${said(names[e.b])}`;

function Heading({ data }: { data: Schemas["ExplanationView"] }) {
  const { explanation: e, names, heading } = data;
  const ahead = e.difference >= 0;
  return (
    <>
      <h1>
        Why {said(names[e.a])} is {rounded(Math.abs(e.difference), 2)} points {ahead ? "ahead of" : "behind"}{" "}
        {said(names[e.b])} {heading.audience && <em>for {heading.audienceTitle || heading.audience}</em>}
      </h1>
      <p className="text-[13px] text-soft">
        {heading.title}, {heading.checklist}
        <OnGround heading={heading} /> · the contributions add up to the difference of the scores exactly
      </p>
      {e.order && <p className="mt-2">The ranking has {wordsFor(e.order, names)}.</p>}
    </>
  );
}

/** A sentence of the service with editions by name instead of by key. */
const wordsFor = (text: string, names: Record<string, Schemas["EditionName"]>) =>
  Object.entries(names).reduce((s, [key, n]) => s.replaceAll(key, said(n)), text);

/** What each criterion adds, by size, as a bar to the side of whom it speaks for. */
export function Contributions({
  data,
  list,
  most: shown = Infinity,
}: {
  data: Schemas["ExplanationView"];
  list: Checklist;
  most?: number;
}) {
  const { explanation: e, names } = data;
  const sectionOf = (key: string) => list.sections.findIndex((s) => s.criteria.some((c) => c.key === key));
  const unitOf = (key: string) => list.sections.flatMap((s) => s.criteria).find((c) => c.key === key)?.unit;
  const criteria = [...e.criteria]
    .filter((c) => Math.abs(c.adds) > 1e-9)
    .sort((x, y) => Math.abs(y.adds) - Math.abs(x.adds));
  const most = Math.max(...criteria.map((c) => Math.abs(c.adds)), ...e.sections.map((s) => Math.abs(s.adds)), 1e-9);
  return (
    <>
      <table className="ledger max-w-[760px]" aria-label="By section">
        <thead>
          <tr>
            <th className="margin">Section</th>
            <th className="num">Contribution</th>
            <th className="w-1/2">
              <Sides a={names[e.a]} b={names[e.b]} />
            </th>
          </tr>
        </thead>
        <tbody>
          {e.sections.map((s, i) => (
            <tr key={s.key}>
              <th scope="row" className="margin">
                <SectionMark index={i} />
                {list.sections[i]?.title || s.key}
              </th>
              <td className="num font-semibold">{plus(s.adds)}</td>
              <td>
                <Bar adds={s.adds} most={most} colour={hue(i)} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <h2 className="mt-6 mb-1">By criterion, largest first</h2>
      <Sideways label="Contributions of criteria">
        <table className="ledger">
          <thead>
            <tr>
              <th className="margin stay">Criterion</th>
              <th className="num">Contribution</th>
              <th className="w-[34%]">
                <Sides a={names[e.a]} b={names[e.b]} />
              </th>
              <th className="num">Points of {names[e.a].distribution}</th>
              <th className="num">of {names[e.b].distribution}</th>
              <th className="num" title="share of the score">
                Weight
              </th>
            </tr>
          </thead>
          <tbody>
            {criteria.slice(0, shown).map((c) => (
              <tr key={c.key}>
                <th scope="row" className="margin stay">
                  <SectionMark index={sectionOf(c.key)} />
                  {titleIn(list, c.key)}
                </th>
                <td className="num font-semibold">{plus(c.adds)}</td>
                <td>
                  <Bar adds={c.adds} most={most} colour={hue(sectionOf(c.key))} />
                </td>
                <td className="num">
                  <Side points={c.pointsA} estimates={c.estimatedA} unit={unitOf(c.key)} />
                </td>
                <td className="num">
                  <Side points={c.pointsB} estimates={c.estimatedB} unit={unitOf(c.key)} />
                </td>
                <td className="num text-soft">
                  {Math.abs(c.weightA - c.weightB) < 1e-9
                    ? weight(c.weightA)
                    : `${weight(c.weightA)} and ${weight(c.weightB)}`}
                  {fromWeight(c) && <span className="block text-[12px] text-ink">due to the weight</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </Sideways>
      <p className="mt-2 text-[13px] text-soft">
        {criteria.length > shown && `${criteria.length - shown} more contribute less than these. `}
        {e.criteria.length - criteria.length > 0 &&
          `${counted(e.criteria.length - criteria.length, "criterion contributes", "criteria contribute")} nothing. `}
        A criterion contributes its weight times its points above the midpoint of the two scores,{" "}
        {rounded(e.midpoint, 2)}, for the first edition, minus the same for the second. Weights differ where one edition
        has no answer to other criteria.
      </p>
    </>
  );
}

/** The points of one side, and the rigs that they rest on without a reading. */
function Side({ points, estimates, unit }: { points?: number | null; estimates?: Estimate[]; unit?: string }) {
  if (points == null) return <span className="text-soft italic">no answer</span>;
  return (
    <>
      {score(points)}
      {counting(estimates).map((x) => (
        <span key={x.rig} className="block text-[12px] text-soft" title={estimateText(x, unit)}>
          {x.rig} estimated
        </span>
      ))}
    </>
  );
}

/** Whether most of what a criterion adds comes of the sides' weights, and not of their points. */
const fromWeight = (c: Schemas["Contribution"]) =>
  c.byWeight != null && Math.abs(c.byWeight) > Math.abs(c.byPoints ?? 0) + 1e-9 && Math.abs(c.adds) >= 0.005;

const weight = (x: number) => `${rounded(100 * x, 1)} %`;

export const plus = (x: number) => {
  const text = rounded(Math.abs(x), 2);
  return text === "0.00" ? text : x < 0 ? `−${text}` : `+${text}`;
};

function Sides({ a, b }: { a: Schemas["EditionName"]; b: Schemas["EditionName"] }) {
  return (
    <span className="flex justify-between gap-2 text-[12px]">
      <span>
        ← in favour of <EditionLabel name={b} />
      </span>
      <span className="text-right">
        in favour of <EditionLabel name={a} /> →
      </span>
    </span>
  );
}

/** A bar from the middle: to the right it speaks for the first, to the left for the second. */
function Bar({ adds, most, colour }: { adds: number; most: number; colour: string }) {
  const half = (50 * Math.abs(adds)) / most;
  return (
    <span className="relative block h-3 min-w-[120px]" aria-hidden="true">
      <span className="absolute top-0 bottom-0 left-1/2 block border-l border-rule" />
      <span
        className="absolute top-[2px] block h-2"
        style={{ background: colour, width: `${half}%`, left: adds >= 0 ? "50%" : `${50 - half}%` }}
      />
    </span>
  );
}
