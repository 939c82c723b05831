import { useQuery } from "@tanstack/react-query";
import { api, take } from "../api";
import { contextText, direction, titleOf, useChecklist, type Checklist, type Criterion } from "../checklist";
import { Choice } from "../components/Choice";
import { SectionMark } from "../components/Figures";
import { Frame } from "../components/Frame";
import { Sideways } from "../components/Sideways";
import { Empty, Failure, Loading } from "../components/States";
import { rounded } from "../numbers";
import { useView } from "../view";

export default function ChecklistPage() {
  const view = useView();
  const versions = useQuery({ queryKey: ["checklists"], queryFn: () => take(api.GET("/checklists", { params: { query: { limit: 1000 } } })) });
  const all = versions.data?.checklists ?? [];
  const shown = view.checklist || (all.findLast((c) => c.state === "in-force") ?? all.at(-1) ?? null);
  const name = typeof shown === "string" ? shown : shown ? `${shown.key}@${shown.version}` : undefined;
  const list = useChecklist(name);
  const error = versions.error ?? list.error;
  return (
    <Frame title="Checklist">
      {error ? (
        <Failure error={error} again={() => (versions.refetch(), list.refetch())} />
      ) : versions.data && all.length === 0 ? (
        <Empty>There is no checklist yet. A lead adds one with dtally checklist add FILE.</Empty>
      ) : !list.data ? (
        <Loading what="the checklist" />
      ) : (
        <Document list={list.data} view={view} names={all.map((c) => `${c.key}@${c.version}`)} />
      )}
    </Frame>
  );
}

function Document({ list, view, names }: { list: Checklist; view: ReturnType<typeof useView>; names: string[] }) {
  const audience = list.audiences?.find((a) => a.key === view.audience);
  const sectionWeight = (s: Checklist["sections"][number]) => audience?.sections?.[s.key] ?? s.weight;
  const total = list.sections.reduce((sum, s) => sum + sectionWeight(s), 0);
  return (
    <>
      <h1>
        {titleOf(list)}, version {list.version} {audience && <em>for {titleOf(audience)}</em>}
      </h1>
      <p className="text-[13px] text-soft">
        {list.state === "in-force" ? "in force" : list.state} · every review asks these questions in this way
      </p>
      <div className="my-3 flex flex-wrap gap-6 text-[13px]">
        {names.length > 1 && <Choice label="Version" value={`${list.key}@${list.version}`} onChange={(checklist) => view.set({ checklist })} options={names.map((n) => ({ value: n, label: n }))} />}
        <Choice
          label="Weights for"
          value={view.audience}
          onChange={(audience) => view.set({ audience })}
          options={[{ value: "", label: "Everybody" }, ...(list.audiences ?? []).map((a) => ({ value: a.key, label: titleOf(a) }))]}
        />
      </div>
      {list.sections.map((s, i) => {
        const weight = (c: Criterion) => audience?.criteria?.[c.key] ?? c.weight ?? 0;
        const within = s.criteria.reduce((sum, c) => sum + (c.kind === "fact" ? 0 : weight(c)), 0);
        return (
          <section key={s.key} className="mt-6">
            <h2 className="mb-1">
              <SectionMark index={i} />
              {titleOf(s)} <span className="ml-2 font-sans text-[13px] font-normal text-soft">{rounded((100 * sectionWeight(s)) / total, 0)} % of the weight</span>
            </h2>
            <Sideways label={titleOf(s)}>
              <table className="ledger">
                <thead>
                  <tr>
                    <th className="margin num w-20">Share</th>
                    <th>Criterion and how to check it</th>
                    <th className="w-[300px]">What earns points</th>
                  </tr>
                </thead>
                <tbody>
                  {s.criteria.map((c) => (
                    <tr key={c.key} className="align-top">
                      <td className="margin num">{c.kind === "fact" ? "fact" : `${rounded(((100 * sectionWeight(s)) / total) * (within ? weight(c) / within : 0), 1)} %`}</td>
                      <td className="max-w-[560px] min-w-[220px]">
                        <span className="font-medium">{titleOf(c)}</span>
                        <Gate criterion={c} own={audience?.gates?.[c.key]} />
                        <span className="block text-[13px] text-soft">{c.guidance}</span>
                      </td>
                      <td className="min-w-[200px] text-[13px]">
                        <Rule criterion={c} list={list} />
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </Sideways>
          </section>
        );
      })}
    </>
  );
}

function Gate({ criterion, own }: { criterion: Criterion; own?: number }) {
  const gate = own ?? criterion.gate;
  return gate == null ? null : <span className="ml-2 text-[13px] text-accent">a must: at least {gate} points</span>;
}

function Rule({ criterion: c, list }: { criterion: Criterion; list: Checklist }) {
  const context = contextText(c, list);
  return (
    <>
      {ruleText(c)}
      {context && <span className="block text-soft">{context}</span>}
      {c.needs?.length ? <span className="block text-soft">needs {c.needs.join(", ")}</span> : null}
      {c.scope && c.scope !== "edition" && <span className="block text-soft">holds for the whole {c.scope}</span>}
    </>
  );
}

function ruleText(c: Criterion): string {
  const k = c.curve;
  switch (c.kind) {
    case "grade":
      return "judgement: a grade of 0 to 10";
    case "check":
      return `works 100, with a workaround ${c.workaroundPoints ?? 60}, fails 0`;
    case "count":
      return c.items?.length ? `how many of ${c.items.length} work: ${c.items.map(titleOf).join(", ")}` : "how many of a number work";
    case "level":
      return (c.levels ?? []).map((l) => `${titleOf(l)} ${l.points}`).join(", ");
    case "fact":
      return "recorded, never scored";
  }
  const runs = c.runs?.expect && c.runs.expect > 1 ? `, ${c.runs.summary ?? "median"} of ${c.runs.expect} runs` : "";
  const ends =
    k?.shape === "field"
      ? "the best of the field has 100, the others in proportion"
      : k?.shape === "steps"
        ? (k.points ?? []).map(([x, p]) => `${x} → ${p}`).join(", ")
        : `${k?.ideal} ${c.unit ?? ""} has 100, ${k?.poor} has 0${k?.shape === "ratio" ? ", by ratio" : ""}`;
  return `${direction(c)}${runs}: ${ends}`;
}
