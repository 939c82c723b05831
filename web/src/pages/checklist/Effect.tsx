import type { Schemas } from "../../api";
import { EditionLink } from "../../components/Edition";
import { Sideways } from "../../components/Sideways";
import { counted, percent, rounded, score, signed } from "../../numbers";

/** What a changed list would do to the ranking: places gained and lost, and coverage. */
export function Effect({ of: e, title }: { of: Schemas["EffectView"]; title: (criterion: string) => string }) {
  const order = (m: Schemas["Move"]) => m.now ?? 1000 + (m.then ?? 1000);
  const moves = [...e.moves].sort((a, b) => order(a) - order(b));
  const moved = moves.filter((m) => m.now !== m.then).length;
  const lost = moves.filter((m) => m.coverageThen < m.coverageNow - 1e-9).length;
  return (
    <>
      <p className="my-2 max-w-[75ch]">
        {moved === 0
          ? "No edition would change its rank."
          : `${moved} of ${moves.length} editions would change their rank.`}{" "}
        {e.tauB != null && `Kendall's tau-b of the two orders is ${rounded(e.tauB, 2)} (1: same order, 0: unrelated).`}{" "}
        {e.notTested.length > 0 &&
          `No review answers ${e.notTested.map(title).join(", ")} yet. Until it is answered, ${counted(lost, "edition loses", "editions lose")} coverage.`}
      </p>
      <Sideways label="Effect on the ranking">
        <table className="ledger">
          <thead>
            <tr>
              <th className="margin num w-[64px]">Rank now</th>
              <th className="num w-[56px]">Then</th>
              <th className="w-[130px]">Rank change</th>
              <th>Edition</th>
              <th className="num">Score now</th>
              <th className="num">Then</th>
              <th className="num">Difference</th>
              <th className="num">Coverage now</th>
              <th className="num">Then</th>
            </tr>
          </thead>
          <tbody>
            {moves.map((m) => (
              <tr key={m.edition} data-chosen={m.now !== m.then}>
                <td className="margin num font-serif font-semibold">{m.now ?? "–"}</td>
                <td className="num font-serif font-semibold">{m.then ?? "–"}</td>
                <td>{places(m)}</td>
                <td>
                  <EditionLink edition={m.edition} name={e.names[m.edition]} />
                </td>
                <td className="num">{score(m.scoreNow)}</td>
                <td className="num">{score(m.scoreThen)}</td>
                <td className="num">
                  {m.scoreNow != null && m.scoreThen != null ? signed(m.scoreThen - m.scoreNow) : "–"}
                </td>
                <td className="num">{percent(m.coverageNow)}</td>
                <td className="num">
                  {m.coverageThen < m.coverageNow - 1e-9 && <span className="mr-1 text-[12px] text-soft">lost</span>}
                  {percent(m.coverageThen)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </Sideways>
    </>
  );
}

function places(m: Schemas["Move"]): string {
  if (m.now == null && m.then == null) return "not ranked";
  if (m.now == null) return "joins";
  if (m.then == null) return "leaves the ranking";
  if (m.now === m.then) return "same";
  return m.then < m.now ? `▲ up ${m.now - m.then}` : `▽ down ${m.then - m.now}`;
}
