import { Link } from "react-router";
import type { Schemas } from "../../api";
import { titleIn, type Checklist } from "../../checklist";
import { Sideways } from "../../components/Sideways";
import { change, figure, score } from "../../numbers";
import { addressOf, type View } from "../../view";

type Data = Schemas["Succession"];
type Developed = Schemas["Developed"];

const shown: [Developed["development"], string][] = [
  ["worse", "Worse"],
  ["improved", "Improved"],
  ["split by rig", "Better on one rig, worse on another"],
  ["fact changed", "Facts that changed"],
  ["newly answered", "Newly answered"],
  ["no longer answered", "No longer answered"],
  ["asked otherwise", "Asked or scored differently by the two checklists"],
  ["not comparable", "Not comparable"],
];

const advice = { upgrade: "upgrade", wait: "wait", stay: "stay" };

/** One release against the one before: what improved, worsened, stayed, is new, was fixed, and the advice. */
export function Succession({
  data: s,
  names,
  list,
  view,
}: {
  data: Data;
  names: Record<string, Schemas["EditionName"]>;
  list: Checklist;
  view: View;
}) {
  const from = names[s.older.edition];
  const to = names[s.newer.edition];
  const same = (s.counts.same ?? 0) + (s.counts["fact same"] ?? 0);
  return (
    <section className="mt-8">
      <h2 className="border-b border-ink pb-1">
        {from ? `${from.release}` : s.older.edition} → {to ? to.release : s.newer.edition}
        {from && to && from.edition !== to.edition && ` · its desktop was ${from.edition} and is now ${to.edition}`}
      </h2>
      <p className="mt-2">
        Suggested to users of {from?.release}: <strong className="font-semibold">{advice[s.advice.advice]}</strong> –{" "}
        {s.advice.reasons.join("; ")}.
        {s.given && (
          <>
            {" "}
            Advice of the team: <strong className="font-semibold">{s.given.advice}</strong> – {s.given.reason}
          </>
        )}
      </p>
      <p className="text-[13px] text-soft">
        {Object.entries({
          improved: s.counts.improved,
          worse: s.counts.worse,
          "the same or too close to call": same,
          "split by rig": s.counts["split by rig"],
        })
          .filter(([, n]) => n)
          .map(([what, n]) => `${n} ${what}`)
          .join(" · ")}
        {s.ground &&
          ` · compared on the ${s.ground.length} criteria that ${s.older.checklist} and ${s.newer.checklist} ask and score the same way`}
        {" · "}
        <Link className="act" to={addressOf("/compare", view, { edition: [s.older.edition, s.newer.edition] })}>
          Compare all figures
        </Link>
      </p>
      <div className="mt-2 grid gap-x-10 gap-y-5 lg:grid-cols-2">
        {shown.map(([development, title]) => {
          const rows = s.criteria.filter((c) => c.development === development);
          return rows.length === 0 ? null : (
            <div key={development}>
              <h3 className="text-[15px]">
                {title} <span className="font-sans font-normal text-soft">{rows.length}</span>
              </h3>
              <Sideways label={title}>
                <table className="ledger">
                  <tbody>
                    {rows.map((c) => (
                      <tr key={c.criterion}>
                        <th scope="row" className="margin">
                          {titleIn(list, c.criterion)}
                        </th>
                        <td className="text-[13px]">
                          <Detail of={c} list={list} />
                        </td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              </Sideways>
            </div>
          );
        })}
        <Findings findings={s.findings} />
        <Changes changes={s.changes} />
      </div>
    </section>
  );
}

function Detail({ of: c, list }: { of: Developed; list: Checklist }) {
  const unit = list.sections.flatMap((s) => s.criteria).find((x) => x.key === c.criterion)?.unit ?? "";
  if (c.rows.length)
    return (
      <>
        {c.rows.map((r) => (
          <span key={r.rig} className="block">
            {r.rig && `${r.rig}: `}
            {r.value == null
              ? `not comparable: ${r.reason}`
              : `${figure(r.baselineValue)} → ${figure(r.value)} ${unit}, ${r.verdict === "too close" ? `too close to call (${change(r.percent)})` : `${change(r.percent)} ${r.verdict}`}${r.caution ? `, ${r.caution}` : ""}`}
          </span>
        ))}
      </>
    );
  if (c.gained?.length || c.lost?.length)
    return (
      <>
        {[c.gained?.length && `gained ${c.gained.join(", ")}`, c.lost?.length && `lost ${c.lost.join(", ")}`]
          .filter(Boolean)
          .join("; ")}
      </>
    );
  if (c.was || c.is)
    return (
      <>
        {c.was || "–"} → {c.is || "–"}
      </>
    );
  if (c.reason) return <span className="text-soft">{c.reason}</span>;
  return (
    <>
      {c.older != null ? score(c.older) : "–"} → {c.newer != null ? score(c.newer) : "–"} points
    </>
  );
}

const fates: [keyof Schemas["FindingsOf"], string][] = [
  ["new", "new"],
  ["fixed", "fixed"],
  ["stillThere", "still present"],
  ["changed", "changed"],
  ["open", "not checked yet"],
];

function Findings({ findings }: { findings: Schemas["FindingsOf"] }) {
  if (fates.every(([k]) => findings[k].length === 0)) return null;
  return (
    <div>
      <h3 className="text-[15px]">Findings</h3>
      <ul>
        {fates.flatMap(([fate, words]) =>
          findings[fate].map((f) => (
            <li key={f.id} className="flex justify-between gap-4 border-b border-rule py-1">
              <span>
                {f.title}{" "}
                <span className="text-[12px] text-soft">{[f.severity, f.sort].filter(Boolean).join(" ")}</span>
              </span>
              <strong className="font-medium whitespace-nowrap">{words}</strong>
            </li>
          )),
        )}
      </ul>
    </div>
  );
}

const sources: Record<string, string> = {
  announced: "announced, not found yet",
  found: "found, not announced",
  both: "announced and found",
};

function Changes({ changes }: { changes: Data["changes"] }) {
  if (changes.length === 0) return null;
  return (
    <div>
      <h3 className="text-[15px]">Changes</h3>
      <ul>
        {changes.map((c) => (
          <li key={c.id} className="border-b border-rule py-1">
            <span className="font-medium">{c.component}</span>{" "}
            {c.removal ? (
              <strong className="font-semibold">removed</strong>
            ) : c.was ? (
              `${c.was} → ${c.is}`
            ) : (
              `new: ${c.is}`
            )}{" "}
            <span className="text-[13px] text-soft">
              · {sources[c.source] ?? c.source} · {c.effect}
              {c.whom && ` for ${c.whom}`}
            </span>
            {c.note && <span className="block text-[13px] text-soft">{c.note}</span>}
          </li>
        ))}
      </ul>
    </div>
  );
}
