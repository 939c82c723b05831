import { useQuery } from "@tanstack/react-query";
import { api, take } from "../../api";
import { answerText, type Checklist, type Criterion, type Reading } from "../../checklist";
import { said } from "../../components/Edition";
import { hue } from "../../components/Figures";
import { figure, score } from "../../numbers";

/** Beside the desk: what others have here, what earns points, what was recorded before. */
export function Aside({ criterion: c, rig, list, readings, points, index }: { criterion: Criterion; rig: string; list: Checklist; readings: Reading[]; points?: number | null; index: number }) {
  return (
    <aside className="border-rule px-5 py-4 max-lg:border-t lg:w-[300px] lg:border-l">
      {c.kind !== "fact" && <Leader criterion={c} rig={rig} checklist={`${list.key}@${list.version}`} />}
      {c.curve && <Curve criterion={c} points={points} index={index} />}
      <History criterion={c} readings={readings} />
    </aside>
  );
}

function Leader({ criterion: c, rig, checklist }: { criterion: Criterion; rig: string; checklist: string }) {
  const ranking = useQuery({ queryKey: ["ranking", { checklist }, undefined], queryFn: () => take(api.GET("/ranking", { params: { query: { checklist } } })), staleTime: 60_000 });
  const leaders = ranking.data?.ranking.slice(0, 3) ?? [];
  const cards = useQuery({
    queryKey: ["leaders", checklist, leaders.map((l) => l.edition)],
    enabled: leaders.length > 0,
    staleTime: 60_000,
    queryFn: () =>
      Promise.all(
        leaders.map((l) => {
          const [distribution, release, edition] = l.edition.split("/");
          return take(api.GET("/scorecards/{distribution}/{release}/{edition}", { params: { path: { distribution, release, edition }, query: { checklist } } }));
        }),
      ),
  });
  if (!cards.data?.length) return null;
  return (
    <section className="mb-6">
      <h2 className="mb-1 border-b border-ink pb-1 text-[16px]!">The first three now{c.kind === "measure" && rig && `, on ${rig}`}</h2>
      <ul className="text-[13px]">
        {cards.data.map((card) => {
          const cell = card.scorecard.criteria.find((x) => x.key === c.key);
          const value = cell?.rigs?.find((r) => r.rig === rig)?.value;
          return (
            <li key={card.scorecard.edition} className="flex justify-between gap-3 py-0.5">
              <span className="text-soft">{said(card.name)}</span>
              <span className="whitespace-nowrap">{c.kind === "measure" ? (value != null ? `${figure(value)} ${c.unit ?? ""}` : "–") : cell?.points != null ? `${score(cell.points)} points` : cell?.state.replace("-", " ")}</span>
            </li>
          );
        })}
      </ul>
    </section>
  );
}

/** The rule that turns a measure into points, drawn; it is read off the checklist, not computed again. */
function Curve({ criterion: c, points, index }: { criterion: Criterion; points?: number | null; index: number }) {
  const k = c.curve!;
  if (k.shape === "field") return <p className="mb-6 text-[13px] text-soft">The best of the field on this rig has 100 points, the others in proportion. An edition added can move the others.</p>;
  const ends = k.shape === "steps" ? (k.points ?? []) : [
    [k.poor ?? 0, 0],
    [k.ideal ?? 0, 100],
  ];
  const sorted = [...ends].sort((a, b) => a[0] - b[0]);
  return (
    <section className="mb-6">
      <h2 className="mb-1 border-b border-ink pb-1 text-[16px]!">What earns points</h2>
      <table className="w-full text-[13px]">
        <tbody>
          {sorted.map(([x, p]) => (
            <tr key={x}>
              <td className="py-0.5">
                {figure(x)} {c.unit}
              </td>
              <td className="w-24">
                <span className="block h-[5px] bg-wash">
                  <span className="block h-full" style={{ width: `${p}%`, background: hue(index) }} />
                </span>
              </td>
              <td className="w-12 text-right">{p}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="text-[13px] text-soft">
        {k.shape === "ratio" ? "Between them by ratio." : "Between them in a straight line."} {points != null && `On all rigs together: ${score(points)} points so far.`}
      </p>
    </section>
  );
}

function History({ criterion: c, readings }: { criterion: Criterion; readings: Reading[] }) {
  const here = readings.filter((r) => r.criterion === c.key).toReversed();
  const replaced = new Set(readings.map((r) => r.replaces).filter(Boolean));
  return (
    <section>
      <h2 className="mb-1 border-b border-ink pb-1 text-[16px]!">Recorded in this review</h2>
      {here.length === 0 && <p className="text-[13px] text-soft">Nothing yet.</p>}
      <ul className="text-[13px]">
        {here.map((r) => (
          <li key={r.id} className={`border-b border-rule py-1 ${replaced.has(r.id) ? "text-soft line-through" : ""}`}>
            {answerText(r.answer, c)} <span className="text-soft">{[r.reviewer, r.rig].filter(Boolean).join(", ")}</span>
            {r.adjustment && <span className="block text-soft">less {r.adjustment.amount}: {r.adjustment.reason}</span>}
            {r.disturbance && <span className="block text-soft">disturbed, does not score: {r.disturbance}</span>}
            {r.note && <span className="block text-soft">{r.note}</span>}
          </li>
        ))}
      </ul>
    </section>
  );
}
