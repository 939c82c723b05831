import { useQuery } from "@tanstack/react-query";
import { Suspense, useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { api, take, type Schemas } from "../api";
import { part } from "../chunks";
import { Export } from "../components/Export";
import { Choice } from "../components/Choice";
import { EditionLink, said } from "../components/Edition";
import { Frame } from "../components/Frame";
import { Framed } from "../components/Framed";
import { OnGround } from "../components/OnGround";
import { Empty, Failure, Loading } from "../components/States";
import { WhenNear } from "../components/WhenNear";
import { counted, day, moment, percent, rounded, score } from "../numbers";
import { addressOf, endOf, narrowing, useView, type View } from "../view";
import { More } from "./ranking/More";
import { pageSize, rankingKey, useEntries, type Asked } from "./ranking/entries";
import { Rows, cardOf, mostCompared, type Entry, type Heading } from "./ranking/Rows";
import { useAbout, useSession } from "../session";
import { failed } from "../failed";

// Of more than so many one wants to find one by its name.
const manyRanked = 30;

const SavedViews = part(() => import("../components/SavedViews"));
const Group = part(() => import("./ranking/Group"));
const Winners = part(() => import("./ranking/Winners"));

export default function RankingPage() {
  const view = useView();
  const section = view.section || undefined;
  const criterion = view.criterion || undefined;
  const since = view.search.get("since") || undefined;
  const find = view.search.get("find") || undefined;
  const asked: Asked = {
    question: { ranked: view.ranked, section, criterion, since, find },
    fetchPage: (offset, standing) =>
      take(
        api.GET("/ranking", {
          params: {
            query: {
              ...view.ranked,
              section,
              criterion,
              since: since && endOf(since),
              ranges: true,
              find,
              limit: pageSize,
              offset: offset || undefined,
              standing,
            },
          },
        }),
      ),
  };
  const ranking = useQuery({
    queryKey: rankingKey(asked.question, 0),
    queryFn: () => asked.fetchPage(0),
    placeholderData: (old) => old,
  });
  if (ranking.isPending)
    return (
      <Frame title="Ranking">
        <Loading what="the ranking" />
      </Frame>
    );
  if (failed(ranking))
    return (
      <Frame title="Ranking">
        <Failure error={ranking.error} again={() => ranking.refetch()} />
        <p>
          <Link className="act" to="/">
            The ranking of all editions
          </Link>
        </p>
      </Frame>
    );
  const { heading, counts } = ranking.data;
  const whole = counts.ranked + counts.provisional + counts.barred;
  return (
    <Frame title="Ranking">
      <Title heading={heading} count={counts.ranked} since={since} />
      <Controls heading={heading} view={view} counts={counts} />
      {ranking.data.nobody && (
        <Empty>
          {ranking.data.nobody}
          {whole === 0 && view.search.size === 0 && <FirstSteps />}
        </Empty>
      )}
      {whole === 0 && find && <Empty>No edition is called “{find}”.</Empty>}
      {whole > 0 && (
        <>
          {counts.ranked > 0 && <Ranked data={ranking.data} asked={asked} view={view} gains={!!since} />}
          <Apart data={ranking.data} asked={asked} view={view} />
          <WhenNear>
            <Suspense fallback={<Loading what="the winners" />}>
              <Winners data={ranking.data} asked={asked} view={view} />
            </Suspense>
          </WhenNear>
          <section className="mt-8">
            <h2 className="sr-only">Export</h2>
            <Export
              what="ranking"
              title="This ranking as a file"
              forms={["csv", "json", "xlsx", "md", "svg", "png"]}
              query={{ ...view.ranked, section, criterion }}
            />
            <Export
              what="scorecards"
              title="Its scorecards"
              forms={["csv", "json", "xlsx", "md"]}
              query={view.ranked}
            />
            <Framed path={addressOf("/frames/ranking", view)} title={`Ranking by ${heading.title}`} height={420} />
          </section>
        </>
      )}
    </Frame>
  );
}

function Ranked({ data, asked, view, gains }: { data: Schemas["Ranking"]; asked: Asked; view: View; gains: boolean }) {
  const entries = useEntries(data, asked);
  return (
    <>
      <Rows heading={data.heading} entries={entries} view={view} gains={gains} />
      {!view.search.get("find") && <Remarks heading={data.heading} ranked={data.ranking} view={view} />}
    </>
  );
}

/** For members of the team, what comes before there is a ranking. */
function FirstSteps() {
  if (!useSession().data?.signedIn) return null;
  return (
    <p className="mt-3">
      <Link className="act" to="/start">
        First steps to a ranking
      </Link>
    </p>
  );
}

function Title({ heading, count, since }: { heading: Heading; count: number; since?: string }) {
  const about = useAbout();
  return (
    <>
      <h1>Ranking {heading.audience && <em>for {heading.audienceTitle || heading.audience}</em>}</h1>
      <p className="text-[13px] text-soft">
        {heading.title}, {heading.checklist} · {counted(count, "edition")} ranked
        {heading.at ? (
          <strong className="font-medium text-ink"> · as it was on {moment(heading.at)}</strong>
        ) : (
          about.data && <> · as of {moment(about.data.now)}</>
        )}
        {heading.orderedBy && (
          <> · ordered by {heading.sections.find((s) => s.key === heading.orderedBy)?.title ?? heading.orderedBy}</>
        )}
        {since && <> · rank changes since {day(endOf(since))}</>}
        {!!heading.weights?.length && (
          <strong className="font-medium text-ink"> · with custom weights: {heading.weights.join(", ")}</strong>
        )}
        <OnGround heading={heading} />
        {!!heading.rigs?.length && <> · measures count only on {heading.rigs.join(", ")}</>}
      </p>
      {heading.changeover?.newer && (
        <p className="text-[13px] text-soft">
          {heading.changeover.newer} is in force: {heading.changeover.moved} of the {heading.changeover.ranked} ranked
          editions have a review on it.{" "}
          {heading.changeover.share > 0
            ? `It is shown when ${percent(heading.changeover.share)} have one.`
            : "A lead decides when it is shown."}
        </p>
      )}
    </>
  );
}

function Controls({ heading, view, counts }: { heading: Heading; view: View; counts: Schemas["StandingCounts"] }) {
  const picked = view.search.getAll("edition");
  const chosen =
    narrowing.some((n) => view.search.has(n)) ||
    ["releasedFrom", "releasedTo", "at", "since"].some((n) => view.search.has(n));
  const [open, setOpen] = useState(false);
  const signedIn = useSession().data?.signedIn;
  return (
    <>
      <div className="mt-3 mb-2 flex flex-wrap items-baseline gap-x-6 gap-y-2 text-[13px]">
        <Choice
          label="Audience"
          value={view.audience}
          onChange={(audience) => view.set({ audience })}
          options={[
            { value: "", label: "Everybody (default)" },
            ...heading.audiences.map((a) => ({ value: a.key, label: a.title || a.key })),
          ]}
        />
        <Choice
          label="Releases"
          value={view.search.get("newest") ?? ""}
          onChange={(newest) => view.set({ newest })}
          options={[
            { value: "", label: "All" },
            { value: "true", label: "Newest of each line" },
          ]}
        />
        {(heading.ground || counts.elsewhere > 0) && (
          <Choice
            label="Checklist"
            value={view.ranked.ground ? "true" : ""}
            onChange={(ground) => view.set({ ground, rigs: "" })}
            options={[
              { value: "", label: "Current version" },
              { value: "true", label: "Include earlier versions (common ground)" },
            ]}
          />
        )}
        <Choice
          label="Rigs"
          value={view.commonRigs ? "common" : ""}
          onChange={(rigs) => view.set({ rigs, ground: "" })}
          options={[
            { value: "", label: "All" },
            { value: "common", label: "Those that all have" },
          ]}
        />
        <Choice
          label="Ordered by"
          value={view.section}
          onChange={(section) => view.set({ section, criterion: "" })}
          options={[
            { value: "", label: view.criterion ? `only ${view.criterion}` : "Overall score" },
            ...heading.sections.map((s) => ({ value: s.key, label: s.title })),
          ]}
        />
        {(counts.ranked > manyRanked || view.search.has("find")) && <Find view={view} />}
        <button type="button" className="act" aria-expanded={open || chosen} onClick={() => setOpen(!open)}>
          Filter
        </button>
        <span className="ml-auto">
          {picked.length >= 2 ? (
            <Link className="act" to={addressOf("/compare", view, { edition: picked })}>
              Compare {picked.length} chosen
            </Link>
          ) : (
            <span className="text-soft">
              {picked.length === 1 ? "Choose another to compare" : `Choose two to ${mostCompared} to compare`}
            </span>
          )}
        </span>
      </div>
      {(open || chosen) && (
        <Suspense fallback={<Loading what="the filters" />}>
          <Group view={view} list={heading.checklist} />
        </Suspense>
      )}
      <p className="mb-2 flex flex-wrap gap-x-5 text-[13px]">
        <Link className="act" to={addressOf("/steadiness", view)}>
          How steady is this ranking?
        </Link>
        <Link className="act" to={addressOf("/weights", view)}>
          Change the weights
        </Link>
        <Link className="act" to={addressOf("/fits", view)}>
          For my machine
        </Link>
        {signedIn && (
          <Suspense>
            <SavedViews />
          </Suspense>
        )}
      </p>
    </>
  );
}

/** What the eye should not have to work out: the heat at the top. */
function Remarks({ heading, ranked, view }: { heading: Heading; ranked: Entry[]; view: View }) {
  const first = ranked.filter((e) => e.rank === 1);
  const apart = (first[0]?.overall ?? 0) - (first.at(-1)?.overall ?? 0);
  return (
    <p className="mt-3 text-[13px] text-soft">
      {first.length > 1 && (
        <>
          {first.map((e) => e.name.distribution).join(" and ")} are a dead heat: {rounded(Math.abs(apart), 1)} points
          apart, margin {rounded(heading.margin, 1)}.{" "}
        </>
      )}
      {ranked.length > 1 && !heading.orderedBy && (
        <Link
          className="act whitespace-normal!"
          to={addressOf("/explain", view, { a: ranked[0].edition, b: ranked[1].edition })}
        >
          Why {ranked[0].name.distribution} is ahead of{" "}
          {ranked[1].name.distribution === ranked[0].name.distribution
            ? said(ranked[1].name)
            : ranked[1].name.distribution}
        </Link>
      )}
    </p>
  );
}

function Apart({ data, asked, view }: { data: Schemas["Ranking"]; asked: Asked; view: View }) {
  const { heading, counts } = data;
  return (
    <div className="mt-6 grid gap-8 md:grid-cols-2">
      {counts.provisional > 0 && (
        <section>
          <h2 className="border-b border-ink pb-1">Provisional</h2>
          <p className="py-1 text-[13px] text-soft">
            Less than {percent(heading.minCoverage)} of the checklist is answered: too little to be ranked. Ordered by
            score.
          </p>
          <More data={data} asked={asked} standing="provisional" count={counts.provisional} of={(r) => r.provisional}>
            {(e) => (
              <li key={e.edition} className="flex flex-wrap justify-between gap-x-4 border-b border-rule py-1">
                <EditionLink edition={e.edition} name={e.name} search={cardOf(e, view)} />
                <span className="whitespace-nowrap">
                  {score(e.overall)}{" "}
                  <span className="text-soft">
                    · {percent(e.coverage)} answered · possible {score(e.low)}–{score(e.high)}
                  </span>
                </span>
              </li>
            )}
          </More>
        </section>
      )}
      {counts.barred > 0 && (
        <section>
          <h2 className="border-b border-ink pb-1">Barred</h2>
          <p className="py-1 text-[13px] text-soft">
            A required criterion failed, whatever the score. In alphabetical order.
          </p>
          <More data={data} asked={asked} standing="barred" count={counts.barred} of={(r) => r.barred}>
            {(e) => (
              <li key={e.edition} className="flex flex-wrap justify-between gap-x-4 border-b border-rule py-1">
                <EditionLink edition={e.edition} name={e.name} search={cardOf(e, view)} />
                <span className="text-soft">
                  {e.barred
                    .map((b) => `${b.criterion}: ${score(b.points)} points, ${score(b.needs)} required`)
                    .join("; ")}
                </span>
              </li>
            )}
          </More>
        </section>
      )}
    </div>
  );
}

/** Looks for names among the ranked, a moment after the last letter. */
function Find({ view }: { view: View }) {
  const [typed, setTyped] = useState(view.search.get("find") ?? "");
  const { set } = view;
  const settle = useRef<ReturnType<typeof setTimeout>>(undefined);
  useEffect(() => () => clearTimeout(settle.current), []);
  return (
    <input
      type="search"
      className="field w-52 max-w-full py-0!"
      aria-label="Search the ranking"
      placeholder="Search by name"
      value={typed}
      onChange={(e) => {
        setTyped(e.target.value);
        clearTimeout(settle.current);
        settle.current = setTimeout(() => set({ find: e.target.value.trim() }, true), 200);
      }}
    />
  );
}
