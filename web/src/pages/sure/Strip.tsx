import type { Schemas } from "../../api";
import { EditionLink, said } from "../../components/Edition";
import { Sideways } from "../../components/Sideways";
import { rounded } from "../../numbers";
import type { View } from "../../view";

/** Shares of ranks as a strip for each edition: the darker a cell, the more often. */
export function Strip({ data, view }: { data: Schemas["SteadinessView"]; view: View }) {
  const { steadiness: s, names } = data;
  const middle = (e: Schemas["EditionShares"]) => e.ranks.reduce((sum, share, i) => sum + share * (i + 1), 0);
  const order = [...s.editions].sort((a, b) => middle(a) - middle(b));
  const leader = order[0];
  const ranks = s.editions.length;
  return (
    <>
      <p className="mb-2">
        {names[leader.edition] && said(names[leader.edition])} comes first in{" "}
        <strong className="font-semibold">{share(leader.first)}</strong> of them
        {leader.low === leader.high && leader.low === 1
          ? " and stays there: no other weights near these turn it."
          : `, and keeps between rank ${leader.low} and ${leader.high} in nine of ten.`}
      </p>
      <Sideways label="Shares of ranks">
        <table className="ledger">
          <thead>
            <tr>
              <th className="margin stay">Edition, by mean rank</th>
              <th className="num">First</th>
              <th className="num">Ranks, 90 %</th>
              {Array.from({ length: ranks }, (_, i) => (
                <th key={i} className="px-0! text-center! font-serif">
                  {i + 1}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {order.map((e) => (
              <tr key={e.edition}>
                <th scope="row" className="margin stay md:whitespace-nowrap max-md:w-[120px] max-md:min-w-[120px]">
                  {names[e.edition] ? (
                    <EditionLink edition={e.edition} name={names[e.edition]} search={view.carry} />
                  ) : (
                    e.edition
                  )}
                </th>
                <td className="num">{share(e.first)}</td>
                <td className="num">{e.low === e.high ? e.low : `${e.low}–${e.high}`}</td>
                {e.ranks.map((r, i) => (
                  <td
                    key={i}
                    className="px-[1px]! py-[3px]! text-center text-[11px]"
                    title={`rank ${i + 1}: ${share(r)}`}
                  >
                    <Cell share={r} />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </Sideways>
    </>
  );
}

const share = (x: number) => (x > 0 && x < 0.0005 ? "under 0.1 %" : `${rounded(100 * x, x > 0 && x < 0.1 ? 1 : 0)} %`);

/** A bar that grows from the foot of the cell, with its figure where there is room to say it. */
function Cell({ share: x }: { share: number }) {
  return (
    <span className="relative block h-[25px] min-w-[26px] bg-wash/60">
      {x >= 0.005 && (
        <span className="absolute right-0 bottom-0 left-0 block bg-ink/35" style={{ height: `${100 * x}%` }} />
      )}
      <span className="relative leading-[25px]">{x >= 0.005 ? rounded(100 * x, 0) : ""}</span>
    </span>
  );
}
