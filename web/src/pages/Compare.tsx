import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take } from "../api";
import { titleOf, useChecklist, type Checklist } from "../checklist";
import { Choice } from "../components/Choice";
import { said } from "../components/Edition";
import SavedViews from "../components/SavedViews";
import { SectionDots } from "../components/Figures";
import { Frame } from "../components/Frame";
import { Empty, Failure, Loading } from "../components/States";
import { counted } from "../numbers";
import { addressOf, useView, type View } from "../view";
import { Difference } from "./compare/Difference";
import { Facts } from "./compare/Facts";
import { Findings, Shots } from "./compare/Findings";
import { Machines } from "./compare/Machines";
import { Match } from "./compare/Match";
import { Ratios, baselineText } from "./compare/Ratios";
import { Systems } from "./compare/Systems";
import { Table, nameIn, type Data, type Show } from "./compare/Table";
import { sourceKey } from "../keys";
import { useMay } from "../session";
import { failed } from "../failed";

export default function ComparePage() {
  const view = useView();
  const edition = view.search.getAll("edition");
  const baseline = view.search.get("baseline") ?? undefined;
  const query = useQuery({
    queryKey: sourceKey("comparison", edition, baseline, view.query),
    enabled: edition.length >= 2,
    queryFn: () => take(api.GET("/comparison", { params: { query: { ...view.query, edition, baseline } } })),
    placeholderData: (old) => old,
  });
  const list = useChecklist(query.data?.heading.checklist);
  return (
    <Frame title="Compare">
      {edition.length < 2 ? (
        <Empty>
          <h1 className="mb-2 text-ink">Compare</h1>No editions are chosen. Choose two to twelve editions in the{" "}
          <Link className="act" to={`/${view.carry}`}>
            ranking
          </Link>
          to compare them.
        </Empty>
      ) : failed(query) ? (
        <Failure error={query.error} again={() => query.refetch()} />
      ) : failed(list) ? (
        <Failure error={list.error} again={() => list.refetch()} />
      ) : !query.data || !list.data ? (
        <Loading what="the comparison" />
      ) : (
        <Sheet data={query.data} list={list.data} view={view} />
      )}
    </Frame>
  );
}

const baselines = [
  { value: "previous", label: "The release before of each" },
  { value: "based-on", label: "The release that each is based on" },
  { value: "leader", label: "The leader of the ranking" },
  { value: "record", label: "The record" },
];

function Sheet({ data, list, view }: { data: Data; list: Checklist; view: View }) {
  const { heading, editions } = data;
  const report = new URLSearchParams(view.search);
  const may = useMay();
  const show = (view.search.get("show") ?? "") as Show;
  return (
    <>
      <h1>
        {counted(editions.length, "edition")} compared{" "}
        {heading.audience && <em>for {heading.audienceTitle || heading.audience}</em>}
      </h1>
      <p className="text-[13px] text-soft">
        {heading.title}, {heading.checklist} · differences are relative to {baselineText(data)}
      </p>
      <div className="my-3 flex flex-wrap items-baseline gap-x-6 gap-y-2 text-[13px]">
        <Choice
          label="Audience"
          value={view.audience}
          onChange={(audience) => view.set({ audience })}
          options={[
            { value: "", label: "Everybody (default)" },
            ...heading.audiences.map((a) => ({ value: a.key, label: titleOf(a) })),
          ]}
        />
        <Choice
          label="Baseline"
          value={view.search.get("baseline") === "leader" ? "leader" : data.baseline}
          onChange={(baseline) => view.set({ baseline })}
          options={[...editions.map((e) => ({ value: e.scorecard.edition, label: said(e.name) })), ...baselines]}
        />
        <Choice
          label="Show"
          value={show}
          onChange={(s) => view.set({ show: s })}
          options={[
            { value: "", label: "All rows" },
            { value: "differences", label: "Only differences" },
            { value: "close", label: "Only too close to call" },
          ]}
        />
        <SavedViews />
        <Link className="act" to={addressOf("/groups", view)}>
          Compare groups
        </Link>
        {may("write-reports") && (
          <Link className="act" to={`/reports/new?${report}`}>
            Start a report on these
          </Link>
        )}
        <a className="act ml-auto" href={`/report?${report}`}>
          Printable page
        </a>
      </div>
      <Systems data={data} />
      {data.missing.map((m) => (
        <p key={m} className="text-accent">
          {nameIn(data, m)} has no accepted review on {heading.checklist} and is not compared.
        </p>
      ))}
      {data.without.map((m) => (
        <p key={m} className="text-accent">
          {nameIn(data, m)} has no such baseline on {heading.checklist}.
        </p>
      ))}
      {show === "" && (
        <SectionDots
          sections={heading.sections}
          cards={editions.map((e) => ({ name: said(e.name), card: e.scorecard }))}
        />
      )}
      <div className="h-4" />
      <Table data={data} list={list} view={view} show={show} />
      {show !== "close" && <Facts data={data} list={list} onlyDifferences={show === "differences"} />}
      {show === "" && (
        <>
          <Difference data={data} list={list} view={view} />
          <Match data={data} view={view} />
          <Machines data={data} list={list} />
          <Ratios data={data} list={list} />
          <Findings data={data} />
          <Shots data={data} list={list} />
        </>
      )}
    </>
  );
}
