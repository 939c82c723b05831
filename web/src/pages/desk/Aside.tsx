import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, take, type Schemas } from "../../api";
import { answerText, changedWords, contextWords, type Checklist, type Criterion, type Reading } from "../../checklist";
import { said } from "../../components/Edition";
import { hue } from "../../components/Figures";
import { Refused } from "../../components/States";
import { useBeside } from "./entries";
import { nameOf } from "../../checklists";
import { meets } from "../../rigs";
import { useRules } from "../../rules";
import type { Place } from "../../unsent/answers";
import { inContext, sameContext } from "./standing";
import { scatterWords } from "../../scatter";
import { day, figure, score } from "../../numbers";
import { sourceKey } from "../../keys";
import { useAbout } from "../../session";

/** Beside the desk: values of others, the scoring rule, earlier readings. */
export function Aside({
  review,
  person,
  criterion: c,
  place,
  rigs,
  list,
  readings,
  points,
  index,
}: {
  review: string;
  person: string;
  criterion: Criterion;
  place: Place;
  rigs: Schemas["Rig"][];
  list: Checklist;
  readings: Reading[];
  points?: number | null;
  index: number;
}) {
  const rig = place.rig;
  // What others have is shown beside a grade only once one's own is in.
  const open =
    c.kind !== "grade" ||
    readings.some((r) => r.criterion === c.key && r.reviewer === person && r.answer.grade != null);
  return (
    <aside className="border-rule px-5 py-4 max-lg:border-t lg:w-[300px] lg:border-l">
      <Needs criterion={c} rig={rigs.find((r) => r.key === rig)} rigs={rigs} />
      {open && <Before review={review} criterion={c} place={place} list={list} />}
      {open && c.kind !== "fact" && <Leader criterion={c} rig={rig} checklist={`${list.key}@${list.version}`} />}
      {c.curve && <Earns list={list} criterion={c} points={points} index={index} />}
      <History review={review} person={person} criterion={c} list={list} readings={readings} />
    </aside>
  );
}

/** What the release before had here, and the record for the same rig and context. */
function Before({
  review,
  criterion: c,
  place,
  list,
}: {
  review: string;
  criterion: Criterion;
  place: Place;
  list: Checklist;
}) {
  const beside = useBeside(review);
  const b = beside.data;
  if (!b) return null;
  const context = place.context ?? c.context;
  const here = b.readings.filter(
    (r) =>
      r.criterion === c.key &&
      (r.rig ?? "") === place.rig &&
      (place.context ? sameContext(r.context, context) : inContext(r, c.context)) &&
      !r.disturbance,
  );
  const record =
    c.kind === "measure"
      ? b.records.find(
          (r) =>
            r.criterion === c.key &&
            r.rig === place.rig &&
            (!context?.method || r.method === context.method) &&
            (!context?.setup || r.setup === context.setup) &&
            (!context?.phase || r.phase === context.phase),
        )
      : undefined;
  const best = record?.records.at(-1);
  const last = here.at(-1);
  if (!last && !best) return null;
  const row = (name: ReactNode, value: string) => (
    <li className="flex justify-between gap-3 py-0.5">
      <span className="text-soft">{name}</span>
      <span className="text-right whitespace-nowrap">{value}</span>
    </li>
  );
  return (
    <section className="mb-6">
      <h2 className="mb-1 border-b border-ink pb-1 text-[16px]!">Reference values{place.rig && `, on ${place.rig}`}</h2>
      <ul className="text-[13px]">
        {last && row(`${b.name?.release} had`, answerText(last.answer, c))}
        {best && row(`record, ${best.edition}, ${day(best.at)}`, `${figure(best.value)} ${c.unit ?? ""}`)}
      </ul>
      {last && !sameContext(last.context, context) && (
        <p className="text-[12px] text-soft">{contextWords(last.context, list)}</p>
      )}
    </section>
  );
}

function Leader({ criterion: c, rig, checklist }: { criterion: Criterion; rig: string; checklist: string }) {
  const ranking = useQuery({
    queryKey: sourceKey("ranking", { checklist }, "top three"),
    queryFn: () => take(api.GET("/ranking", { params: { query: { checklist, limit: 3 } } })),
    staleTime: 60_000,
  });
  const leaders = ranking.data?.ranking ?? [];
  const cards = useQuery({
    queryKey: sourceKey(
      "leaders",
      checklist,
      leaders.map((l) => l.edition),
    ),
    enabled: leaders.length > 0,
    staleTime: 60_000,
    queryFn: () =>
      Promise.all(
        leaders.map((l) => {
          const [distribution, release, edition] = l.edition.split("/");
          return take(
            api.GET("/scorecards/{distribution}/{release}/{edition}", {
              params: { path: { distribution, release, edition }, query: { checklist } },
            }),
          );
        }),
      ),
  });
  if (!cards.data?.length) return null;
  return (
    <section className="mb-6">
      <h2 className="mb-1 border-b border-ink pb-1 text-[16px]!">
        Current top three{c.kind === "measure" && rig && `, on ${rig}`}
      </h2>
      <ul className="text-[13px]">
        {cards.data.map((card) => {
          const cell = card.scorecard.criteria.find((x) => x.key === c.key);
          const value = cell?.rigs?.find((r) => r.rig === rig)?.value;
          return (
            <li key={card.scorecard.edition} className="flex justify-between gap-3 py-0.5">
              <span className="text-soft">{said(card.name)}</span>
              <span className="whitespace-nowrap">
                {c.kind === "measure"
                  ? value != null
                    ? `${figure(value)} ${c.unit ?? ""}`
                    : "–"
                  : cell?.points != null
                    ? `${score(cell.points)} points`
                    : cell?.state.replace("-", " ")}
              </span>
            </li>
          );
        })}
      </ul>
    </section>
  );
}

/** The rule that turns a measure into points, in words and with the values where it bends. */
function Earns({
  list,
  criterion: c,
  points,
  index,
}: {
  list: Checklist;
  criterion: Criterion;
  points?: number | null;
  index: number;
}) {
  const rule = useRules(nameOf(list)).get(c.key);
  if (!rule) return null;
  const bends = rule.line.length > mostBends ? [rule.line[0], rule.line.at(-1)!] : rule.line;
  return (
    <section className="mb-6">
      <h2 className="mb-1 border-b border-ink pb-1 text-[16px]!">Scoring rule</h2>
      {!rule.relative && (
        <table className="w-full text-[13px]">
          <tbody>
            {bends.map(([x, p]) => (
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
      )}
      <p className="text-[13px] text-soft">
        {rule.words[0].toUpperCase() + rule.words.slice(1)}.{" "}
        {rule.relative && "A new edition can change the points of the others. "}
        {points != null && `On all rigs together: ${score(points)} points so far.`}
      </p>
    </section>
  );
}

// With more bends than these, a line is a curve, and its ends describe it.
const mostBends = 12;

/** What a criterion cannot be tried without, and whether the rig in hand has it. */
function Needs({ criterion: c, rig, rigs }: { criterion: Criterion; rig?: Schemas["Rig"]; rigs: Schemas["Rig"][] }) {
  if (!c.needs?.length) return null;
  const lacking = rig ? c.needs.filter((n) => !meets(rig, n)) : [];
  const others = rigs.filter((r) => c.needs!.every((n) => meets(r, n)));
  return (
    <section className="mb-6 text-[13px]">
      <h2 className="mb-1 border-b border-ink pb-1 text-[16px]!">Needs</h2>
      <p>{c.needs.join(", ")}</p>
      {lacking.length > 0 && (
        <p className="font-medium">
          {rig!.name || rig!.key} has no {lacking.join(", ")}:{" "}
          {others.length ? `try it on ${others.map((r) => r.name || r.key).join(" or ")}, ` : ""}or answer not tested.
        </p>
      )}
    </section>
  );
}

/** What needs attention in the review, by reading. */
function useRemarks(review: string, readings: Reading[], c: Criterion): Map<string, string> {
  const quality = useQuery({
    queryKey: sourceKey("reviewQuality", review, readings.length),
    queryFn: () => take(api.GET("/reviews/{id}/data-quality", { params: { path: { id: review } } })),
    placeholderData: (old) => old,
  });
  const remarks = new Map(
    (quality.data?.readings ?? []).filter((r) => r.criterion === c.key).map((r) => [r.id, scatterWords(r, c)]),
  );
  for (const g of quality.data?.changedGrades ?? []) if (g.criterion === c.key) remarks.set(g.reading, changedWords(g));
  for (const s of quality.data?.surprises ?? [])
    for (const id of s.readings)
      if (s.criterion === c.key && !s.confirmed) {
        const why =
          s.earlier != null
            ? `the release before had ${figure(s.earlier)}`
            : `the median of ${s.others} others is ${figure(s.median)}`;
        remarks.set(
          id,
          [
            remarks.get(id),
            `surprising: ${why}. Have it confirmed by another reviewer, with another method, or after a restart`,
          ]
            .filter(Boolean)
            .join("; "),
        );
      }
  return remarks;
}

/** Takes back a reading of one's own, as long as the service lets one. */
function TakeBack({ review, reading: r }: { review: string; reading: Reading }) {
  const queries = useQueryClient();
  const undo = useMutation({
    mutationFn: () => take(api.POST("/reviews/{id}/undo", { params: { path: { id: review } }, body: { id: r.id } })),
    onSuccess: () => queries.invalidateQueries(),
  });
  return (
    <>
      <button type="button" className="act ml-2" disabled={undo.isPending} onClick={() => undo.mutate()}>
        Undo
      </button>
      <Refused error={undo.error} />
    </>
  );
}

const hour = 3_600_000;

function History({
  review,
  person,
  criterion: c,
  list,
  readings,
}: {
  review: string;
  person: string;
  criterion: Criterion;
  list: Checklist;
  readings: Reading[];
}) {
  const remarks = useRemarks(review, readings, c);
  const here = readings.filter((r) => r.criterion === c.key).toReversed();
  const replaced = new Set(readings.map((r) => r.replaces).filter(Boolean));
  const about = useAbout();
  const fresh = (r: Reading) =>
    r.reviewer === person &&
    !replaced.has(r.id) &&
    !!r.received &&
    !!about.data &&
    Date.parse(about.data.now) - Date.parse(r.received) < hour;
  return (
    <section>
      <h2 className="mb-1 border-b border-ink pb-1 text-[16px]!">Recorded in this review</h2>
      {here.length === 0 && <p className="text-[13px] text-soft">No readings yet.</p>}
      <ul className="text-[13px]">
        {here.map((r) => (
          <li key={r.id} className={`border-b border-rule py-1 ${replaced.has(r.id) ? "text-soft line-through" : ""}`}>
            {answerText(r.answer, c)}{" "}
            <span className="text-soft">
              {[r.reviewer, r.rig, !inContext(r, c.context) && contextWords(r.context, list)]
                .filter(Boolean)
                .join(", ")}
            </span>
            {fresh(r) && <TakeBack review={review} reading={r} />}
            {!inContext(r, c.context) && (
              <span className="block text-soft">measured differently than asked: saved, does not score</span>
            )}
            {r.adjustment && (
              <span className="block text-soft">
                minus {r.adjustment.amount}: {r.adjustment.reason}
              </span>
            )}
            {r.disturbance && <span className="block text-soft">disturbed, does not score: {r.disturbance}</span>}
            {remarks.has(r.id) && <span className="block">{remarks.get(r.id)}</span>}
            {r.note && <span className="block text-soft">{r.note}</span>}
          </li>
        ))}
      </ul>
    </section>
  );
}
