import { Link } from "react-router";
import { Sideways } from "../../components/Sideways";
import { TallyCount } from "../../components/Tally";
import { addressOf, type View } from "../../view";
import { nameIn, type Data } from "./Table";

/** Who wins how many criteria against whom, in tally strokes. */
export function Match({ data, view }: { data: Data; view: View }) {
  const pairs = data.headToHead.pairs;
  if (pairs.length === 0) return null;
  const shown = pairs.length > 6 ? pairs.filter((p) => p.a === data.baseline || p.b === data.baseline) : pairs;
  const placings = [...new Set(pairs.flatMap((p) => p.criteria.flatMap((c) => (c.placing ? [c.placing] : []))))];
  return (
    <section className="mt-8">
      <h2>Head-to-head</h2>
      <p className="text-[13px] text-soft">
        Criteria that both answered and that can be compared, one point each.{" "}
        {placings.length > 0 && `With a side-by-side test: ${placings.join("; ")}.`}
        {shown.length < pairs.length && " Pairs with the baseline."}
      </p>
      <Sideways label="Head-to-head">
        <table className="ledger mt-1 max-w-[900px]">
          <tbody>
            {shown.map((p) => (
              <tr key={p.a + p.b}>
                <th scope="row" className="margin">
                  <span className={p.wins > p.losses ? "font-semibold" : ""}>{nameIn(data, p.a)}</span> {p.wins}{" "}
                  <span className="text-soft">to</span> {p.losses}{" "}
                  <span className={p.losses > p.wins ? "font-semibold" : ""}>{nameIn(data, p.b)}</span>
                  <span className="block text-[12px] text-soft">
                    {p.ties - p.splits} ties{p.splits > 0 && `, ${p.splits} split by rig`} ·{" "}
                    <Link className="underline underline-offset-2" to={addressOf("/explain", view, { a: p.a, b: p.b })}>
                      why the scores differ
                    </Link>
                  </span>
                </th>
                <td className="max-md:hidden">
                  <TallyCount done={p.wins} of={p.wins} label={`${p.wins} wins of ${nameIn(data, p.a)}`} />
                </td>
                <td className="max-md:hidden">
                  <TallyCount done={p.losses} of={p.losses} label={`${p.losses} wins of ${nameIn(data, p.b)}`} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </Sideways>
    </section>
  );
}
