import { titleIn, type Checklist } from "../../checklist";
import { said } from "../../components/Edition";
import { EditionMark } from "../../components/Figures";
import { score } from "../../numbers";
import { nameIn, type Data } from "./Table";

/** The measures on each rig side by side, and where the order depends on the machine. */
export function Machines({ data, list }: { data: Data; list: Checklist }) {
  const measures = list.sections.flatMap((s) => s.criteria).filter((c) => c.kind === "measure");
  const cell = (e: Data["editions"][number], key: string, rig: string) =>
    e.scorecard.criteria.find((x) => x.key === key)?.rigs?.find((r) => r.rig === rig);
  const rigs = [
    ...new Set(data.editions.flatMap((e) => e.scorecard.criteria.flatMap((c) => (c.rigs ?? []).map((r) => r.rig)))),
  ]
    .filter((rig) => rig && measures.some((c) => data.editions.filter((e) => cell(e, c.key, rig)).length > 1))
    .sort();
  if (rigs.length < 2) return null;
  const rows = measures.filter((c) => rigs.filter((rig) => data.editions.some((e) => cell(e, c.key, rig))).length > 1);
  const flips = data.headToHead.dependsOnMachine;
  const flipped = new Set(flips.map((f) => f.criterion));
  return (
    <section className="mt-8">
      <h2>One rig compared with the other</h2>
      {flips.length > 0 ? (
        <ul className="my-1">
          {flips.map((f) => (
            <li key={f.criterion + f.a + f.b}>
              <strong className="font-semibold">{titleIn(list, f.criterion)} depends on the machine:</strong>{" "}
              {nameIn(data, f.a)} is better than {nameIn(data, f.b)} on {f.better.join(", ")}, and worse on{" "}
              {f.worse.join(", ")}.
            </li>
          ))}
        </ul>
      ) : (
        <p className="text-[13px] text-soft">No measure changes order between the rigs.</p>
      )}
      <p className="text-[13px] text-soft">
        Points of each measure, 0 to 100:{" "}
        {data.editions.map((e, i) => (
          <span key={e.scorecard.edition} className="mr-3">
            <EditionMark index={i} />
            {said(e.name)}
          </span>
        ))}
      </p>
      <div className="mt-1 grid gap-x-10 gap-y-4 lg:grid-cols-2">
        {rigs.map((rig) => (
          <figure key={rig}>
            <figcaption className="border-b border-ink font-medium">{rig}</figcaption>
            <div className="grid grid-cols-[minmax(8rem,12rem)_1fr] gap-x-3 pt-1 pr-2 text-[12px]">
              {rows
                .filter((c) => data.editions.some((e) => cell(e, c.key, rig)))
                .map((c) => (
                  <div key={c.key} className="col-span-2 grid grid-cols-subgrid items-center">
                    <span className={`truncate ${flipped.has(c.key) ? "font-semibold" : ""}`}>
                      {titleIn(list, c.key)}
                      {flipped.has(c.key) && " ⇄"}
                    </span>
                    <span
                      className="relative block h-[20px]"
                      role="img"
                      aria-label={`${titleIn(list, c.key)} on ${rig}: ${data.editions.map((e) => `${said(e.name)} ${score(cell(e, c.key, rig)?.points)}`).join(", ")}`}
                    >
                      <span className="absolute top-[10px] right-0 left-0 block border-t border-rule" />
                      {data.editions.map((e, i) => {
                        const on = cell(e, c.key, rig);
                        return on ? (
                          <span
                            key={e.scorecard.edition}
                            className="absolute top-[1px] -ml-[7px] block"
                            style={{ left: `${on.points}%` }}
                          >
                            <EditionMark index={i} />
                          </span>
                        ) : null;
                      })}
                    </span>
                  </div>
                ))}
            </div>
          </figure>
        ))}
      </div>
    </section>
  );
}
