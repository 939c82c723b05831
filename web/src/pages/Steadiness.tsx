import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take, type Schemas } from "../api";
import { titleIn, useChecklist, type Checklist } from "../checklist";
import { Choice } from "../components/Choice";
import { EditionLink, said } from "../components/Edition";
import { SectionMark } from "../components/Figures";
import { Frame } from "../components/Frame";
import { OnGround } from "../components/OnGround";
import { Sideways } from "../components/Sideways";
import { Empty, Failure, Loading } from "../components/States";
import { count, rounded } from "../numbers";
import { addressOf, useView, type View } from "../view";
import { leastShare, Strip } from "./steadiness/Strip";
import { sourceKey } from "../keys";
import { failed } from "../failed";

const variables = [
  { value: "", label: "weights" },
  { value: "readings", label: "readings" },
  { value: "both", label: "weights and readings" },
];

/** Fewer draws than these leave shares uncertain by some hundredths. */
const fewDraws = 200;

/** How often the order holds, and what would turn it. */
export default function SteadinessPage() {
  const view = useView();
  const vary = (view.search.get("vary") || undefined) as "weights" | "readings" | "both" | undefined;
  const steady = useQuery({
    queryKey: sourceKey("steadiness", view.ranked, vary),
    queryFn: () => take(api.GET("/steadiness", { params: { query: { ...view.ranked, vary, least: leastShare } } })),
    placeholderData: (old) => old,
  });
  const tipping = useQuery({
    queryKey: sourceKey("tipping", view.ranked),
    queryFn: () => take(api.GET("/tipping", { params: { query: view.ranked } })),
    placeholderData: (old) => old,
  });
  const list = useChecklist(steady.data?.heading.checklist);
  const heading = steady.data?.heading;
  const first = [...(steady.data?.steadiness.editions ?? [])].sort((a, b) => a.mean - b.mean).at(0);
  const leader = first && steady.data?.names[first.edition];
  return (
    <Frame title={leader ? `How steady: ${said(leader)} leads` : "How steady"}>
      <h1>How steady is the ranking {heading?.audience && <em>for {heading.audienceTitle || heading.audience}</em>}</h1>
      {failed(steady) ? (
        <Failure error={steady.error} again={() => steady.refetch()} />
      ) : !steady.data || !heading ? (
        <Loading what="ten thousand random rankings" />
      ) : (
        <>
          <p className="text-[13px] text-soft">
            {heading.title}, {heading.checklist}
            <OnGround heading={heading} />
            {!!heading.group?.length && <> · only {heading.group.join(", ")}</>} · ranked{" "}
            {count(steady.data.steadiness.draws)} times, each time with different{" "}
            {steady.data.steadiness.shake === "both" ? "weights and readings" : steady.data.steadiness.shake}
            {steady.data.ranked > steady.data.steadiness.editions.length &&
              ` · the first ${count(steady.data.steadiness.editions.length)} of ${count(steady.data.ranked)} editions`}
            {steady.data.steadiness.draws < fewDraws && " · with so few draws, only the rough order is certain"}
          </p>
          <div className="my-3 flex flex-wrap items-baseline gap-x-6 gap-y-2 text-[13px]">
            <Choice
              label="Audience"
              value={view.audience}
              onChange={(audience) => view.set({ audience })}
              options={[
                { value: "", label: "Everybody (default)" },
                ...heading.audiences.map((a) => ({ value: a.key, label: a.title || a.key })),
              ]}
            />
            <Choice label="Varied" value={vary ?? ""} onChange={(s) => view.set({ vary: s })} options={variables} />
            <Choice
              label="Releases"
              value={view.search.get("newest") ?? ""}
              onChange={(newest) => view.set({ newest })}
              options={[
                { value: "", label: "All" },
                { value: "true", label: "Newest of each line" },
              ]}
            />
            <Link className="act" to={addressOf("/", view)}>
              Ranking
            </Link>
            <Link className="act" to={addressOf("/weights", view)}>
              Change the weights
            </Link>
          </div>
          {steady.data.steadiness.editions.length === 0 ? (
            <Empty>No edition is ranked here.</Empty>
          ) : (
            <Strip data={steady.data} view={view} />
          )}
          {failed(tipping) ? (
            <p className="mt-6 text-soft">What would change the leader: {tipping.error.message}</p>
          ) : tipping.data && list.data && tipping.data.tipping.leader ? (
            <Turns data={tipping.data} list={list.data} view={view} />
          ) : null}
        </>
      )}
    </Frame>
  );
}

/** What would turn the lead: weight by weight, in words and figures. */
function Turns({ data, list, view }: { data: Schemas["TippingView"]; list: Checklist; view: View }) {
  const { tipping, names } = data;
  const leader = names[tipping.leader];
  const turning = tipping.criteria.filter((t) => t.up || t.down);
  const name = (e: string) => (names[e] ? said(names[e]) : e);
  const rows = (points: Schemas["TipPoint"][], mark: boolean) =>
    points.map((t, i) => (
      <tr key={t.key}>
        <th scope="row" className="margin">
          {mark && <SectionMark index={i} />}
          {mark ? list.sections.find((s) => s.key === t.key)?.title || t.key : titleIn(list, t.key)}
        </th>
        <td className="num">{rounded(100 * t.share, 1)} %</td>
        <Turn tip={t.down} word="at most" name={name} />
        <Turn tip={t.up} word="at least" name={name} />
      </tr>
    ));
  const head = (what: string) => (
    <thead>
      <tr>
        <th className="margin">{what}</th>
        <th className="num">Share now</th>
        <th>Another edition leads below</th>
        <th>Another edition leads above</th>
      </tr>
    </thead>
  );
  return (
    <section className="mt-8">
      <h2>What would change the leader</h2>
      <p className="pb-1 text-[13px] text-soft">
        {leader && (
          <>
            <EditionLink edition={tipping.leader} name={leader} search={view.carry} /> has the highest score.
          </>
        )}{" "}
        Only one share changes at a time; the others keep their proportions.
      </p>
      <Sideways label="Sections that would change the leader">
        <table className="ledger max-w-[900px]">
          {head("Section")}
          <tbody>{rows(tipping.sections, true)}</tbody>
        </table>
      </Sideways>
      <details className="mt-4">
        <summary className="cursor-pointer font-serif text-[18px] font-semibold">
          {turning.length} of {tipping.criteria.length} criteria would change the leader within their section
        </summary>
        <Sideways label="Criteria that would change the leader">
          <table className="ledger mt-2 max-w-[900px]">
            {head("Criterion, share of its section")}
            <tbody>{rows(turning, false)}</tbody>
          </table>
        </Sideways>
      </details>
    </section>
  );
}

function Turn({ tip, word, name }: { tip?: Schemas["Tip"] | null; word: string; name: (e: string) => string }) {
  return (
    <td className={tip ? "" : "text-soft"}>
      {tip ? (
        <>
          {name(tip.leader)}, {word} <strong className="font-semibold">{rounded(100 * tip.share, 1)} %</strong>
        </>
      ) : (
        "none, at any share"
      )}
    </td>
  );
}
