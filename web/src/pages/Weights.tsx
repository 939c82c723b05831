import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link } from "react-router";
import { api, take, type Schemas } from "../api";
import { titleOf, useChecklist, type Checklist } from "../checklist";
import { Choice } from "../components/Choice";
import { said } from "../components/Edition";
import { hue } from "../components/Figures";
import { Frame } from "../components/Frame";
import { Failure, Loading } from "../components/States";
import { addressOf, useView, type View } from "../view";
import { Keep } from "./weights/Keep";
import { useLatest } from "./weights/latest";
import { fewShown, mostShown, Standings, type First } from "./weights/Standings";
import { Weight } from "./weights/Weight";
import { criterionShares, moved, pairs, parsedPairs, sectionShares, type Shares } from "./weights/weights";
import { sourceKey } from "../keys";
import { useMay } from "../session";
import { failed } from "../failed";

// How many ranks are known of before weights were moved.
const mostBefore = 1000;

// The marks of other leaders cost more than the ranking: they are asked for once the weights have rested so long.
const restBeforeMarks = 200;

/** Weights are moved, and the ranking follows. */
export default function WeightsPage() {
  const view = useView();
  const plain = { ...view.query, sectionWeight: undefined, criterionWeight: undefined };
  const start = useQuery({
    queryKey: sourceKey("ranking", plain, "before"),
    queryFn: () => take(api.GET("/ranking", { params: { query: { ...plain, limit: mostBefore } } })),
  });
  const list = useChecklist(start.data?.heading.checklist);
  return (
    <Frame title="Change the weights">
      {failed(start) ? (
        <Failure error={start.error} again={() => start.refetch()} />
      ) : failed(list) ? (
        <Failure error={list.error} again={() => list.refetch()} />
      ) : !start.data || !list.data ? (
        <Loading what="the weights" />
      ) : (
        <Bench
          key={`${start.data.heading.checklist} ${view.audience}`}
          start={start.data}
          list={list.data}
          view={view}
        />
      )}
    </Frame>
  );
}

function Bench({ start, list, view }: { start: Schemas["Ranking"]; list: Checklist; view: View }) {
  const audience = list.audiences?.find((a) => a.key === view.audience);
  const own = parsedPairs([...view.search.getAll("sectionWeight"), ...view.search.getAll("criterionWeight")]);
  const [sections, setSections] = useState<Shares>(() => sectionShares(list, audience, own));
  // Of criteria, only the sections whose weights were touched are in the address.
  const [criteria, setCriteria] = useState<Record<string, Shares>>(() =>
    Object.fromEntries(
      list.sections
        .filter((s) => s.criteria.some((c) => own.has(c.key)))
        .map((s) => [s.key, criterionShares(s, audience, own)]),
    ),
  );
  const lead = useMay()("edit-checklist");
  const [opened, setOpened] = useState("");
  const [touched, setTouched] = useState(own.size > 0);
  const weights = touched
    ? { sectionWeight: pairs(sections), criterionWeight: Object.values(criteria).flatMap(pairs) }
    : {};
  const question = { ...view.query, sectionWeight: undefined, criterionWeight: undefined, ...weights };
  const [all, setAll] = useState(false);
  const limit = all ? mostShown : fewShown;
  const { answer, error } = useLatest({ ...question, limit }, (query) =>
    take(api.GET("/ranking/first", { params: { query } })),
  );
  const tips = useLatest(question, (query) => take(api.GET("/tipping", { params: { query } })), restBeforeMarks);
  const shown: First = answer?.data ?? start;
  const before = useMemo(() => new Map(start.ranking.map((e) => [e.edition, e.rank])), [start]);
  const names = useMemo(() => new Map(start.ranking.map((e) => [e.edition, e.name])), [start]);
  // How many editions of a distribution are ranked: where it is one, the distribution's name is enough.
  const editions = useMemo(() => {
    const counts = new Map<string, number>();
    for (const e of start.ranking) counts.set(e.name.distribution, (counts.get(e.name.distribution) ?? 0) + 1);
    return counts;
  }, [start]);
  const leads = (edition: string) => {
    const n = names.get(edition) ?? shown.ranking.find((e) => e.edition === edition)?.name;
    if (!n) return edition;
    return (editions.get(n.distribution) ?? 0) > 1 ? said(n) : n.distribution;
  };
  const tipOf = (key: string, of: "sections" | "criteria") => tips.answer?.data.tipping[of].find((t) => t.key === key);
  const keep = (sections: Shares, criteria: Record<string, Shares>) =>
    view.set({ sectionWeight: pairs(sections), criterionWeight: Object.values(criteria).flatMap(pairs) }, true);
  const withSection = (key: string, to: number) => moved(sections, key, to);
  const withCriterion = (section: Checklist["sections"][number], key: string, to: number) => ({
    ...criteria,
    [section.key]: moved(criteria[section.key] ?? criterionShares(section, audience, own), key, to),
  });
  const moveSection = (key: string, to: number) => {
    setTouched(true);
    setSections(withSection(key, to));
  };
  const moveCriterion = (section: Checklist["sections"][number], key: string, to: number) => {
    setTouched(true);
    setCriteria(withCriterion(section, key, to));
  };
  const again = () => {
    const none = new Map<string, number>();
    setSections(sectionShares(list, audience, none));
    setCriteria({});
    setTouched(false);
    view.set({ sectionWeight: "", criterionWeight: "" }, true);
  };
  return (
    <>
      <h1>
        What if the weights were different{" "}
        {view.audience && <em>than for {start.heading.audienceTitle || view.audience}</em>}
      </h1>
      <p className="text-[13px] text-soft">
        {start.heading.title}, {start.heading.checklist} · move a weight; the others keep their proportions. A red mark
        shows where another edition takes the lead. The address of the page holds your weights; you can share it.
      </p>
      <div className="my-3 flex flex-wrap items-baseline gap-x-6 gap-y-2 text-[13px]">
        <Choice
          label="Start from"
          value={view.audience}
          onChange={(a) => view.set({ audience: a, sectionWeight: "", criterionWeight: "" })}
          options={[
            { value: "", label: "Everybody (default)" },
            ...start.heading.audiences.map((a) => ({ value: a.key, label: a.title || a.key })),
          ]}
        />
        <button type="button" className="act" disabled={!touched} onClick={again}>
          Reset the weights
        </button>
        <Link className="act" to={addressOf("/", view)}>
          Show as a ranking
        </Link>
        <Link className="act" to={addressOf("/steadiness", view)}>
          How steady is this ranking?
        </Link>
      </div>
      {error && <Failure error={error} again={again} />}
      <div className="grid gap-8 md:grid-cols-[380px_1fr]">
        <div>
          {list.sections.map((s, i) => {
            const inside = criteria[s.key] ?? criterionShares(s, audience, own);
            return (
              <section key={s.key} className="border-b border-rule py-1">
                <Weight
                  label={titleOf(s)}
                  share={sections[s.key]}
                  hue={hue(i)}
                  tips={tipOf(s.key, "sections")}
                  leads={leads}
                  onChange={(to) => moveSection(s.key, to)}
                  onDone={(to) => keep(withSection(s.key, to), criteria)}
                />
                <button
                  type="button"
                  className="act text-[13px]"
                  aria-expanded={opened === s.key}
                  onClick={() => setOpened(opened === s.key ? "" : s.key)}
                >
                  {opened === s.key ? "Close" : "Its criteria"}
                </button>
                {opened === s.key && (
                  <div className="pb-2 pl-4">
                    {s.criteria
                      .filter((c) => c.kind !== "fact")
                      .map((c) => (
                        <Weight
                          key={c.key}
                          label={titleOf(c)}
                          share={inside[c.key]}
                          hue={hue(i)}
                          tips={tipOf(c.key, "criteria")}
                          leads={leads}
                          onChange={(to) => moveCriterion(s, c.key, to)}
                          onDone={(to) => keep(sections, withCriterion(s, c.key, to))}
                        />
                      ))}
                  </div>
                )}
              </section>
            );
          })}
          {lead && touched && <Keep list={list} sections={sections} criteria={criteria} />}
        </div>
        <Standings data={shown} before={before} search={view.carry} all={all} onAll={setAll} />
      </div>
    </>
  );
}
