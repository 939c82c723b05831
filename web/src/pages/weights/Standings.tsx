import type { Schemas } from "../../api";
import { EditionLink } from "../../components/Edition";
import { ScoreDot } from "../../components/Figures";
import { score } from "../../numbers";
import { heat } from "../ranking/Rows";

const row = 31;

/** How many editions are shown at first, and at most. */
export const fewShown = 25;
export const mostShown = 200;

/** The first editions of a ranking, and how many there are in all. */
export type First = {
  ranking: Pick<Schemas["RankingEntry"], "edition" | "name" | "rank" | "overall" | "low" | "high" | "deadHeat">[];
  counts: Schemas["StandingCounts"];
};

/** The ranking as it follows the weights: rows move to their places. */
export function Standings({
  data,
  before,
  search,
  all,
  onAll,
}: {
  data: First;
  before: Map<string, number>;
  search: string;
  all: boolean;
  onAll: (all: boolean) => void;
}) {
  const entries = { at: (i: number) => data.ranking[i] };
  const most = Math.min(mostShown, data.counts.ranked);
  const shown = data.ranking.slice(0, all ? mostShown : fewShown);
  // Rows keep their place in the document, so that moving is all that happens to them.
  const stable = shown.map((entry, at) => ({ entry, at })).sort((a, b) => (a.entry.edition < b.entry.edition ? -1 : 1));
  const apart = [
    data.counts.provisional > 0 && `${data.counts.provisional} provisional`,
    data.counts.barred > 0 && `${data.counts.barred} barred`,
  ]
    .filter(Boolean)
    .join(", ");
  return (
    <div>
      <ol
        className="relative border-t border-ink"
        style={{ height: shown.length * row }}
        aria-label="Ranking with these weights"
      >
        {stable.map(({ entry: e, at }) => {
          const was = before.get(e.edition);
          const gained = was ? was - e.rank : 0;
          return (
            <li
              key={e.edition}
              aria-posinset={at + 1}
              className="absolute right-0 left-0 flex items-center gap-2 border-b border-rule transition-transform duration-150 motion-reduce:transition-none"
              style={{ height: row, transform: `translateY(${at * row}px)` }}
            >
              <span
                className="bracket block w-12 self-stretch pt-0.5 text-right font-serif text-[17px] font-semibold"
                data-heat={heat(entries, at)}
                style={{ borderRight: "1px solid var(--accent)", paddingRight: 8 }}
              >
                <span className={["middle", "last"].includes(heat(entries, at) ?? "") ? "sr-only" : ""}>{e.rank}</span>
              </span>
              <span className="w-9 text-[12px] whitespace-nowrap text-soft">
                {gained > 0 ? `▲ ${gained}` : gained < 0 ? `▽ ${-gained}` : ""}
              </span>
              <span className="min-w-0 flex-1 truncate">
                <EditionLink edition={e.edition} name={e.name} search={search} />
              </span>
              <span className="w-40 max-md:hidden">
                <ScoreDot value={e.overall} low={e.low} high={e.high} />
              </span>
              <span className="w-12 text-right font-semibold">{score(e.overall)}</span>
            </li>
          );
        })}
      </ol>
      {most > fewShown && (
        <button type="button" className="act mt-2" onClick={() => onAll(!all)}>
          {all
            ? `Only the first ${fewShown}`
            : most < data.counts.ranked
              ? `The first ${most} of ${data.counts.ranked}`
              : `All ${most}`}
        </button>
      )}
      <p className="mt-2 text-[13px] text-soft">
        Arrows: ranks gained or lost compared with the weights that you started with.
        {apart && ` Not ranked: ${apart}. The whole ranking shows why.`}
      </p>
    </div>
  );
}
