import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take } from "../../api";
import { contextText, titleOf, useChecklist, type Checklist, type Criterion } from "../../checklist";
import { criterionShares, nameOf, sectionShares, useVersions } from "../../checklists";
import { Choice } from "../../components/Choice";
import { Curve, type Tick } from "../../components/Curve";
import { SectionMark } from "../../components/Figures";
import { Shares } from "../../components/Shares";
import { Sideways } from "../../components/Sideways";
import { figure, sharesText } from "../../numbers";
import { useRules, type Rule } from "../../rules";
import { useView } from "../../view";
import { Around } from "./Around";
import { sourceKey } from "../../keys";
import { useMay } from "../../session";
import { Answered } from "../../components/Answered";
import { NoChecklist } from "./NoChecklist";
import { ruleText } from "./Conditions";
import { ProcedureText } from "./Procedure";

export default function QuestionsPage() {
  const view = useView();
  const versions = useVersions();
  const all = versions.data ?? [];
  const shown = all.find((c) => c.shown) ?? all.at(-1);
  const name = view.checklist || (shown && nameOf(shown));
  const list = useChecklist(name);
  return (
    <Around title="Checklist">
      <Answered of={[versions, list]} what="the checklist" none={<NoChecklist />}>
        {(_, checklist) => <Document list={checklist} view={view} names={all.map(nameOf)} />}
      </Answered>
    </Around>
  );
}

/** The present readings of every criterion, as ticks on its rule. */
export function useTicks(name: string | undefined): Map<string, Tick[]> {
  const points = useQuery({
    queryKey: sourceKey("points", name),
    enabled: !!name,
    staleTime: 60_000,
    queryFn: () => take(api.GET("/points", { params: { query: { checklist: name } } })),
  });
  const said = (edition: string) => {
    const n = points.data?.names[edition];
    return n ? `${n.distribution} ${n.release} ${n.edition}` : edition;
  };
  return new Map(
    (points.data?.criteria ?? []).map((c) => [
      c.key,
      c.editions.flatMap((e): Tick[] => {
        const measured = e.rigs.filter((r) => r.value != null);
        return measured.length
          ? measured.map((r) => ({ value: r.value, points: r.points, rig: r.rig, name: said(e.edition) }))
          : [{ points: e.points, name: said(e.edition) }];
      }),
    ]),
  );
}

function Document({ list, view, names }: { list: Checklist; view: ReturnType<typeof useView>; names: string[] }) {
  const audience = list.audiences?.find((a) => a.key === view.audience);
  const sections = sectionShares(list, audience);
  const texts = sharesText(sections);
  const shares = criterionShares(list, audience);
  const written = sharesText([...shares.values()]);
  const shareTexts = new Map([...shares.keys()].map((key, i) => [key, written[i]]));
  const ticks = useTicks(list.state === "draft" ? undefined : nameOf(list));
  const may = useMay();
  const rules = useRules(nameOf(list));
  return (
    <>
      <h1>
        {titleOf(list)}, version {list.version} {audience && <em>for {titleOf(audience)}</em>}
      </h1>
      <p className="text-[13px] text-soft">
        {list.state === "in-force" ? "in force" : list.state} · every review asks these questions in this way ·{" "}
        {list.sections.reduce((n, s) => n + s.criteria.length, 0)} criteria
      </p>
      <div className="my-3 flex flex-wrap items-baseline gap-x-6 gap-y-2 text-[13px]">
        {names.length > 1 && (
          <Choice
            label="Version"
            value={nameOf(list)}
            onChange={(checklist) => view.set({ checklist })}
            options={names.map((n) => ({ value: n, label: n }))}
          />
        )}
        <Choice
          label="Weights for"
          value={view.audience}
          onChange={(audience) => view.set({ audience })}
          options={[
            { value: "", label: "everybody (default)" },
            ...(list.audiences ?? []).map((a) => ({ value: a.key, label: titleOf(a) })),
          ]}
        />
        {list.state === "draft" && may("edit-checklist") && (
          <Link className="act" to={`/checklist/edit/${nameOf(list)}`}>
            Edit this draft
          </Link>
        )}
        {list.state === "in-force" && may("propose-changes") && (
          <Link className="act" to={`/checklist/propose/${nameOf(list)}`}>
            Propose a change
          </Link>
        )}
      </div>
      <Shares sections={list.sections} shares={sections} />
      <Measuring list={list} />
      {list.sections.map((s, i) => (
        <section key={s.key} className="mt-6">
          <h2 className="mb-1">
            <SectionMark index={i} />
            {titleOf(s)}{" "}
            <span className="ml-2 font-sans text-[13px] font-normal text-soft">{texts[i]} of the weight</span>
          </h2>
          <Sideways label={titleOf(s)}>
            <table className="ledger">
              <thead>
                <tr>
                  <th className="margin num w-20">Share</th>
                  <th>Criterion and how to check it</th>
                  <th className="w-[280px]">Scoring rule</th>
                  <th className="w-[226px]">Scoring rule, with the current readings</th>
                </tr>
              </thead>
              <tbody>
                {s.criteria.map((c) => (
                  <tr key={c.key} className="align-top">
                    <td className="margin num">{c.kind === "fact" ? "fact" : shareTexts.get(c.key)}</td>
                    <td className="max-w-[560px] min-w-[220px]">
                      <span className="font-medium">{titleOf(c)}</span>
                      <span className="ml-2 text-[12px] text-soft">{c.kind}</span>
                      <Gate criterion={c} own={audience?.gates?.[c.key]} />
                      <span className="block text-[13px] text-soft">{c.guidance}</span>
                      <ProcedureText criterion={c} />
                    </td>
                    <td className="min-w-[200px] text-[13px]">
                      <Earned rule={rules.get(c.key)} criterion={c} list={list} />
                    </td>
                    <td className="min-w-[220px] align-middle">
                      {c.kind !== "fact" && (
                        <Curve rule={rules.get(c.key)} criterion={c} ticks={ticks.get(c.key) ?? []} index={i} />
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </Sideways>
        </section>
      ))}
      <Kit list={list} />
    </>
  );
}

function Kit({ list }: { list: Checklist }) {
  if (!list.kit?.length && !list.shots?.length) return null;
  return (
    <div className="mt-8 grid grid-cols-[minmax(0,1fr)] gap-8 md:grid-cols-2">
      {list.kit?.length ? (
        <section>
          <h2 className="border-b border-ink pb-1">Test files</h2>
          <p className="py-1 text-[13px] text-soft">
            The files that every reviewer uses. The command dtally checklist test-files {nameOf(list)} downloads and
            verifies them.
          </p>
          <ul>
            {list.kit.map((f) => (
              <li key={f.sha256} className="border-b border-rule py-1">
                {f.size <= 64 << 20 ? (
                  <a className="act" href={`/api/v1/files/${f.sha256}`} download={f.name}>
                    {f.name}
                  </a>
                ) : (
                  <span className="font-medium">{f.name}</span>
                )}{" "}
                <span className="text-[13px] text-soft">
                  {bytes(f.size)} · {f.note}
                </span>
                <span className="block truncate text-[11px] text-soft">SHA-256 {f.sha256}</span>
              </li>
            ))}
          </ul>
        </section>
      ) : null}
      {list.shots?.length ? (
        <section>
          <h2 className="border-b border-ink pb-1">Standard screenshots</h2>
          <p className="py-1 text-[13px] text-soft">The screenshots that every review takes.</p>
          <ol className="ml-5 list-decimal">
            {list.shots.map((s) => (
              <li key={s.key} className="py-0.5">
                {titleOf(s)}
              </li>
            ))}
          </ol>
        </section>
      ) : null}
    </div>
  );
}

/** A size in bytes as people say it. */
export function bytes(n: number): string {
  if (n < 1024) return `${n} bytes`;
  if (n < 1 << 20) return `${figure(n / 1024)} KiB`;
  return `${figure(n / (1 << 20))} MiB`;
}

function Gate({ criterion, own }: { criterion: Criterion; own?: number }) {
  const gate = own ?? criterion.gate;
  return gate == null ? null : <span className="ml-2 text-[13px] text-accent">required: at least {gate} points</span>;
}

function Earned({ rule, criterion: c, list }: { rule?: Rule; criterion: Criterion; list: Checklist }) {
  const context = contextText(c, list);
  return (
    <>
      {rule?.words}
      {context && <span className="block text-soft">{context}</span>}
      {c.needs?.length ? <span className="block text-soft">needs {c.needs.join(", ")}</span> : null}
      {c.scope && c.scope !== "edition" && <span className="block text-soft">applies to the whole {c.scope}</span>}
    </>
  );
}

/** How procedures are run: the reference of the rigs, and rules for conditions of the machine. */
function Measuring({ list }: { list: Checklist }) {
  const rules = list.measuring?.conditions ?? [];
  const reference = list.sections.flatMap((s) => s.criteria).find((c) => c.reference);
  if (!reference && rules.length === 0) return null;
  return (
    <details className="mt-3 text-[13px]">
      <summary className="cursor-pointer text-soft">During dtally measure</summary>
      {reference && (
        <span className="block">first in every session: {titleOf(reference)}, which shows whether a rig changed</span>
      )}
      {rules.map((r) => (
        <span key={r.when} className="block">
          {ruleText(r)}
        </span>
      ))}
    </details>
  );
}
