import { Link } from "react-router";
import type { Schemas } from "../../api";
import { titleIn, useChecklist } from "../../checklist";
import { said } from "../../components/Edition";
import { SectionMark } from "../../components/Figures";
import { TallyCount } from "../../components/Tally";
import { counted, score } from "../../numbers";
import { addressOf, type View } from "../../view";
import type { Asked } from "./entries";
import { More } from "./More";

/** Who wins each section and criterion, how many criteria each wins, and who is not here. */
export default function Winners({ data, asked, view }: { data: Schemas["Ranking"]; asked: Asked; view: View }) {
  const list = useChecklist(data.heading.checklist);
  const { names, mostWins } = data;
  const criteria = new Map(data.winners.criteria.map((w) => [w.key, w]));
  const won = (w: Schemas["Winner"] | undefined) => {
    if (!w?.count) return <span className="text-soft">none: all that answered are equal, or none answered</span>;
    const shown = w.editions
      .slice(0, 3)
      .map((e) => (names[e] ? said(names[e]) : e) + (w.estimated?.includes(e) ? " (rigs estimated)" : ""));
    return w.count > shown.length ? `${shown.join(", ")} and ${w.count - shown.length} more` : shown.join(", ");
  };
  return (
    <>
      {mostWins.length > 0 && (
        <section className="mt-8">
          <h2 className="border-b border-ink pb-1">Who wins how many criteria</h2>
          <p className="py-1 text-[13px] text-soft">
            Criteria in which no other ranked edition has more points. Shared wins are counted separately.
          </p>
          <table className="ledger max-w-[760px]">
            <tbody>
              {mostWins.map((e) => (
                <tr key={e.edition}>
                  <th scope="row" className="margin">
                    {names[e.edition] ? said(names[e.edition]) : e.edition}
                  </th>
                  <td>
                    <TallyCount
                      done={e.wins.alone}
                      of={e.wins.alone}
                      label={`${counted(e.wins.alone, "criterion", "criteria")} won alone`}
                    />
                  </td>
                  <td className="num">{e.wins.alone}</td>
                  <td className="num text-soft">{e.wins.shared ? `and ${e.wins.shared} shared` : ""}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
      <details className="mt-6">
        <summary className="cursor-pointer font-serif text-[18px] font-semibold">
          Winner of each section and criterion
        </summary>
        <table className="ledger mt-2 max-w-[960px]">
          <thead>
            <tr>
              <th className="margin">Section or criterion</th>
              <th className="num">Points</th>
              <th>Won by</th>
            </tr>
          </thead>
          <tbody>
            {data.heading.sections.map((s, i) => {
              const w = data.winners.sections[i];
              return [
                <tr key={s.key} className="band">
                  <th scope="row" className="margin">
                    <SectionMark index={i} />
                    {s.title}
                  </th>
                  <td className="num">{score(w?.points)}</td>
                  <td>{won(w)}</td>
                </tr>,
                ...(list.data?.sections[i]?.criteria ?? [])
                  .filter((c) => c.kind !== "fact")
                  .map((c) => (
                    <tr key={c.key}>
                      <th scope="row" className="margin">
                        <Link
                          className="hover:underline"
                          title="order by this criterion only"
                          to={addressOf("/", view, { criterion: c.key })}
                        >
                          {titleIn(list.data, c.key)}
                        </Link>
                      </th>
                      <td className="num">{score(criteria.get(c.key)?.points)}</td>
                      <td className="text-[13px]">{won(criteria.get(c.key))}</td>
                    </tr>
                  )),
              ];
            })}
          </tbody>
        </table>
      </details>
      {data.counts.elsewhere > 0 && (
        <details className="mt-4">
          <summary className="cursor-pointer font-serif text-[18px] font-semibold">
            Not ranked here: reviewed only on other versions of the checklist
          </summary>
          <p className="py-1 text-[13px] text-soft">
            Scores on different checklists do not compare. On{" "}
            <Link className="act" to={addressOf("/", view, { ground: "true", rigs: "" })}>
              common ground
            </Link>
            , editions are compared by what their checklists ask and score the same way; so does the page of an edition
            line. In alphabetical order.
          </p>
          <More
            data={data}
            asked={asked}
            standing="elsewhere"
            count={data.counts.elsewhere}
            of={(r) => r.elsewhere}
            className="columns-1 text-[13px] md:columns-3"
          >
            {(e) => (
              <li key={e.edition}>
                <Link
                  className="hover:underline"
                  to={`/edition/${e.edition}?checklist=${encodeURIComponent(e.checklist)}`}
                >
                  {said(e.name)}
                </Link>{" "}
                <span className="text-soft">{e.checklist}</span>
              </li>
            )}
          </More>
        </details>
      )}
    </>
  );
}
