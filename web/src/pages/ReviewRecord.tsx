import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { api, take } from "../api";
import { titleIn, titleOf, type Checklist } from "../checklist";
import { counted, day } from "../numbers";
import { of, useEntries, type EntryView } from "./desk/entries";
import { EvidenceList } from "./desk/Pictures";
import { Surveyed } from "../components/Surveyed";
import { sourceKey } from "../keys";

/** The record of an accepted review beside its scores: verdicts, findings and the rest. */
export function ReviewRecord({ review, list, edition }: { review: string; list: Checklist; edition: string }) {
  const entries = useEntries(review);
  const about = useQuery({
    queryKey: sourceKey("publicReview", review),
    queryFn: () => take(api.GET("/reviews/{id}", { params: { path: { id: review } } })),
  });
  const e = entries.data ?? [];
  const shots = of(e, "evidence").filter((x) => x.shot);
  const r = about.data;
  return (
    <>
      {r && (r.alone || r.preRelease) && (
        <p className="mt-2 font-medium">
          {[
            r.alone && "Accepted by its only reviewer.",
            r.preRelease && `Of a pre-release${r.final ? "; the final release is out" : ""}.`,
          ]
            .filter(Boolean)
            .join(" ")}{" "}
          {r.final && (
            <Link className="act" to={`/catalogue/${r.final}`}>
              The final release
            </Link>
          )}
        </p>
      )}
      <Part title="Verdicts" entries={of(e, "verdict")}>
        {(v) => (
          <>
            <span className="font-medium">
              {titleOf(list.audiences?.find((a) => a.key === v.audience) ?? { key: v.audience })}
            </span>
            : {v.verdict.replace("-", " ")}
            {v.conditions && `, if ${v.conditions}`}. {v.reason}
            {!!v.alternatives?.length && (
              <span className="text-soft">
                {" "}
                Consider{" "}
                {v.alternatives.map((a) => (
                  <Link key={a} className="act mr-2" to={`/edition/${a}`}>
                    {a}
                  </Link>
                ))}{" "}
                instead
              </span>
            )}
          </>
        )}
      </Part>
      <Part title="Advice for users of the release before" entries={of(e, "advice")}>
        {(a) => (
          <>
            <span className="font-medium">{a.advice}</span>: {a.reason}
          </>
        )}
      </Part>
      <Findings entries={e} list={list} />
      <Part title="Changes" entries={of(e, "change")}>
        {(c) => (
          <>
            <span className="font-medium">{c.component}</span>: {c.was || "not present"} → {c.is || "removed"}{" "}
            <span className="text-soft">
              {[c.source, c.effect, c.whom && `for ${c.whom}`, c.note].filter(Boolean).join(" · ")}
            </span>
          </>
        )}
      </Part>
      <Part title="Claims" entries={of(e, "claim")}>
        {(c) => (
          <>
            “{c.text}”{" "}
            <span className="text-soft">
              ({c.by}, {c.source})
            </span>
            : <span className="font-medium">{c.state}</span>
            {c.reason && `, ${c.reason}`}
          </>
        )}
      </Part>
      <Part title="Daily use" entries={[...of(e, "journal")]}>
        {(j) => (
          <>
            <span className="text-soft">
              {day(j.at ?? "")}
              {j.rig && `, on ${j.rig}`}:
            </span>{" "}
            {j.text}
          </>
        )}
      </Part>
      <Part title="From longer use outside this review, never scored" entries={of(e, "experience")}>
        {(x) => (
          <>
            {x.text}
            {x.since && <span className="text-soft"> ({x.since})</span>} <span className="text-soft">{x.reviewer}</span>
          </>
        )}
      </Part>
      <Part title="System states" entries={of(e, "system")}>
        {(s) => (
          <>
            <span className="font-medium">{s.id}</span> {s.note}{" "}
            <span className="text-soft">
              {[
                s.rig && `on ${s.rig}`,
                s.installed?.length && `chosen: ${s.installed.join(", ")}`,
                s.changed?.length && `changed: ${s.changed.join(", ")}`,
                s.updated?.length && `updated: ${s.updated.join(", ")}`,
              ]
                .filter(Boolean)
                .join(" · ")}
            </span>
            <Surveyed facts={s.facts} />
          </>
        )}
      </Part>
      {shots.length > 0 && (
        <section className="mt-6">
          <h2 className="border-b border-ink pb-1">Pictures</h2>
          <EvidenceList evidence={shots} />
        </section>
      )}
      <Part
        title="Disclosure"
        entries={[
          ...of(e, "disclosure").map((d) => ({ id: d.id, text: `${d.reviewer}: ${d.text}` })),
          ...of(e, "use").map((u) => ({
            id: u.id,
            text: `${u.reviewer} used it for ${counted(u.days, "day")}${u.rig ? ` on ${u.rig}` : ""}${u.note ? `: ${u.note}` : ""}`,
          })),
        ]}
      >
        {(x) => x.text}
      </Part>
      <p className="mt-6 flex gap-6">
        <Link className="act" to={`/catalogue/${edition}`}>
          This edition in the catalogue
        </Link>
        <Link className="act" to={`/suggest?sort=correction&about=${edition}`}>
          Suggest a correction
        </Link>
      </p>
    </>
  );
}

function Part<T extends { id: string }>({
  title,
  entries,
  children,
}: {
  title: string;
  entries: T[];
  children: (x: T) => ReactNode;
}) {
  if (!entries.length) return null;
  return (
    <section className="mt-6">
      <h2 className="border-b border-ink pb-1">{title}</h2>
      <ul>
        {entries.map((x) => (
          <li key={x.id} className="border-b border-rule py-1">
            {children(x)}
          </li>
        ))}
      </ul>
    </section>
  );
}

const fates = (entries: EntryView[], id: string) => entries.find((e) => e.entry.finding?.id === id)?.fates ?? [];

const order = { strength: 0, weakness: 1, quirk: 2 } as Record<string, number>;
const worst = { blocking: 0, major: 1, minor: 2 } as Record<string, number>;

function Findings({ entries, list }: { entries: EntryView[]; list: Checklist }) {
  const issues = useQuery({
    queryKey: sourceKey("issues"),
    queryFn: async () => (await take(api.GET("/known-issues"))).issues,
    staleTime: 60_000,
  });
  const findings = of(entries, "finding").sort(
    (a, b) =>
      (order[a.sort] ?? 9) - (order[b.sort] ?? 9) || (worst[a.severity ?? ""] ?? 9) - (worst[b.severity ?? ""] ?? 9),
  );
  return (
    <Part title="Findings" entries={findings}>
      {(f) => {
        const issue = issues.data?.find((t) => t.issue.key === f.trouble)?.issue;
        return (
          <>
            <span className="font-medium">{f.title}</span>{" "}
            <span className="text-[13px] text-soft">
              {[
                f.sort,
                f.severity,
                f.nature,
                f.seen && `seen ${f.seen}`,
                f.sure,
                f.criterion && titleIn(list, f.criterion),
                f.fate && `found before: ${f.fate.replace("-", " ")}`,
              ]
                .filter(Boolean)
                .join(" · ")}
            </span>
            {fates(entries, f.id).map((x) => (
              <span key={x.edition} className="block text-[13px]">
                In {x.name?.release}: <span className="font-medium">{x.fate.replace("-", " ")}</span>
              </span>
            ))}
            {f.text && <span className="block max-w-[72ch]">{f.text}</span>}
            {(f.workaround || issue?.workaround) && (
              <span className="block">Workaround: {issue?.workaround || f.workaround}</span>
            )}
            {issue && (
              <span className="block text-[13px] text-soft">
                Case of{" "}
                <Link className="act" to="/known-issues">
                  {issue.title}
                </Link>
              </span>
            )}
            {(f.reported?.length || f.outcome) && (
              <span className="block text-[13px] text-soft">
                {f.reported?.map((l) => (
                  <a key={l} className="act mr-3" href={l} target="_blank" rel="noreferrer">
                    reported
                  </a>
                ))}
                {f.outcome}
              </span>
            )}
            <EvidenceList evidence={of(entries, "evidence").filter((x) => x.of === f.id)} />
          </>
        );
      }}
    </Part>
  );
}
